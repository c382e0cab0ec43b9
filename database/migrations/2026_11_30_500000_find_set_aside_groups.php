<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;

/** What waits is counted by its reason on many pages, and there may be very much of it. */
return new class extends Migration
{
    public function up(): void
    {
        DB::statement("CREATE INDEX set_aside_groups ON set_aside (feed_id, reason, step, at) INCLUDE (id, sequence) WHERE state = 'waiting' AND overtaken_by IS NULL");
    }

    public function down(): void
    {
        DB::statement('DROP INDEX set_aside_groups');
    }
};
