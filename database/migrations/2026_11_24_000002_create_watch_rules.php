<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        // Records that landed while a rule was there, and those of them that satisfy it.
        Schema::create('watched_hours', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->string('name', 80);
            $t->timestampTz('hour');
            $t->bigInteger('landed');
            $t->bigInteger('matched');
            $t->primary(['feed_id', 'name', 'hour']);
            $t->index('hour');
        });
        Schema::create('watched_samples', function (Blueprint $t): void {
            $t->id();
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->string('name', 80);
            $t->json('record');
            $t->timestampTz('at', 6);
            $t->index(['feed_id', 'name', 'id']);
        });
    }
};
