<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

/** Files whose times lie ahead of the clock do not tell when they were written; since when they have stayed the same does. */
return new class extends Migration
{
    public function up(): void
    {
        Schema::create('files_ahead', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained()->cascadeOnDelete();
            $t->text('path');
            $t->bigInteger('size');
            $t->text('modified');
            $t->text('since');
            $t->primary(['feed_id', 'path']);
        });
    }

    public function down(): void
    {
        Schema::dropIfExists('files_ahead');
    }
};
