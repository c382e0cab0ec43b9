<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Schema;

/** What a route's changes are read by has the names that its connector gives. */
return new class extends Migration
{
    public function up(): void
    {
        Schema::table('route_logs', fn (Blueprint $table) => $table->jsonb('names')->default('{}'));
        DB::statement("UPDATE route_logs SET names = CASE capture WHEN 'trigger' THEN jsonb_build_object('triggers', right(slot, 8)) ELSE jsonb_build_object('slot', slot, 'publication', publication) END");
        Schema::table('route_logs', fn (Blueprint $table) => $table->dropColumn(['slot', 'publication']));
    }

    public function down(): void
    {
        Schema::table('route_logs', function (Blueprint $table): void {
            $table->string('slot', 63)->default('');
            $table->string('publication', 63)->default('');
        });
        DB::statement("UPDATE route_logs SET slot = coalesce(names->>'slot', 'lighterman_' || (names->>'triggers')), publication = coalesce(names->>'publication', '')");
        Schema::table('route_logs', fn (Blueprint $table) => $table->dropColumn('names'));
    }
};
