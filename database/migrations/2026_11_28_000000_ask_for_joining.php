<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        Schema::table('feeds', static function (Blueprint $t): void {
            // Whether somebody wants the small files of what the feed has landed joined.
            $t->boolean('join_asked')->default(false);
        });
    }
};
