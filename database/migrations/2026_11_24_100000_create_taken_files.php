<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        // What the receipts of a feed name together, kept so that it can be asked for by path.
        Schema::create('taken_files', function (Blueprint $t): void {
            $t->id();
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->text('path');
            $t->bigInteger('size');
            $t->string('modified', 30);
            $t->string('checksum', 32)->nullable();
            $t->bigInteger('rows');
            $t->bigInteger('set_aside');
            $t->bigInteger('sequence');
            $t->timestampTz('landed_at', 6);
            $t->unique(['feed_id', 'path']);
            $t->index(['feed_id', 'landed_at']);
        });
    }
};
