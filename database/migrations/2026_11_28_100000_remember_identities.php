<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        Schema::table('feeds', function (Blueprint $table): void {
            // What the source's catalogue called the table, its columns and what records its changes when the load began.
            $table->jsonb('identity')->nullable();
            // Keys of rows that could not be landed whole and are read again.
            $table->jsonb('rereads')->nullable();
        });
    }

    public function down(): void
    {
        Schema::table('feeds', fn (Blueprint $table) => $table->dropColumn(['identity', 'rereads']));
    }
};
