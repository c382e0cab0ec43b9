<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        Schema::table('receipts', static fn (Blueprint $t) => $t->bigInteger('first_sequence')->nullable());
    }

    public function down(): void
    {
        Schema::table('receipts', static fn (Blueprint $t) => $t->dropColumn('first_sequence'));
    }
};
