<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        Schema::create('saved_queries', function (Blueprint $t): void {
            $t->id();
            $t->string('name', 120)->unique();
            $t->string('target', 60);
            $t->text('sql');
            $t->foreignId('person_id')->constrained('people')->cascadeOnDelete();
            $t->timestampsTz(6);
        });
        // Queries that are running somewhere, so that they can be stopped from anywhere.
        Schema::create('running_queries', function (Blueprint $t): void {
            $t->uuid('id')->primary();
            $t->foreignId('person_id')->constrained('people')->cascadeOnDelete();
            $t->boolean('stop_asked')->default(false);
            $t->timestampTz('started_at', 6);
        });
    }
};
