<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

/** A feed that begins anew has no receipts of what its earlier runs landed. */
return new class extends Migration
{
    public function up(): void
    {
        Schema::table('feeds', fn (Blueprint $t) => $t->timestampTz('books_from', 6)->nullable());
    }

    public function down(): void
    {
        Schema::table('feeds', fn (Blueprint $t) => $t->dropColumn('books_from'));
    }
};
