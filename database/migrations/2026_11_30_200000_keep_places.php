<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Schema;

/** Places in a stream of changes are texts that only the stream reads; what waits in the spool is ordered by the number of its row. */
return new class extends Migration
{
    private const TEXT = "upper(to_hex(%1\$s >> 32)) || '/' || upper(to_hex(%1\$s & 4294967295))";

    private const NUMBER = "('x' || lpad(split_part(rtrim(%1\$s, '+'), '/', 1), 8, '0') || lpad(split_part(rtrim(%1\$s, '+'), '/', 2), 8, '0'))::bit(64)::bigint";

    public function up(): void
    {
        Schema::rename('spool', 'spool_by_number');
        DB::statement('ALTER INDEX spool_pkey RENAME TO spool_by_number_pkey');
        Schema::create('spool', function (Blueprint $table): void {
            $table->id();
            $table->foreignId('feed_id')->constrained('feeds', indexName: 'spool_of_feed')->cascadeOnDelete();
            $table->text('place');
            $table->integer('part');
            $table->bigInteger('committed_at');
            $table->integer('changes');
            $table->binary('body');
            $table->unique(['feed_id', 'place', 'part']);
            $table->index(['feed_id', 'id']);
        });
        // A number stood for the transaction at that place.
        DB::statement('INSERT INTO spool (feed_id, place, part, committed_at, changes, body) SELECT feed_id, '.sprintf(self::TEXT, 'lsn')." || '+', part, committed_at, changes, body FROM spool_by_number ORDER BY lsn, part, feed_id");
        Schema::drop('spool_by_number');
        DB::statement('ALTER TABLE route_logs ALTER read_to DROP DEFAULT, ALTER read_to DROP NOT NULL, ALTER read_to TYPE text USING CASE read_to WHEN 0 THEN NULL ELSE '.sprintf(self::TEXT, 'read_to').' END');
        // It stands in the position, too.
        Schema::table('set_aside', fn (Blueprint $table) => $table->dropColumn('lsn'));
    }

    public function down(): void
    {
        Schema::table('set_aside', fn (Blueprint $table) => $table->bigInteger('lsn')->nullable());
        DB::statement('UPDATE set_aside SET lsn = '.sprintf(self::NUMBER, 'position')." WHERE position ~ '^[0-9A-F]+/[0-9A-F]+$'");
        DB::statement('ALTER TABLE route_logs ALTER read_to TYPE bigint USING coalesce('.sprintf(self::NUMBER, 'read_to').', 0), ALTER read_to SET DEFAULT 0, ALTER read_to SET NOT NULL');
        Schema::rename('spool', 'spool_by_place');
        DB::statement('ALTER INDEX spool_pkey RENAME TO spool_by_place_pkey');
        Schema::create('spool', function (Blueprint $table): void {
            $table->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $table->bigInteger('lsn');
            $table->integer('part');
            $table->bigInteger('committed_at');
            $table->integer('changes');
            $table->binary('body');
            $table->primary(['feed_id', 'lsn', 'part']);
        });
        DB::statement('INSERT INTO spool (feed_id, lsn, part, committed_at, changes, body) SELECT feed_id, '.sprintf(self::NUMBER, 'place').', part, committed_at, changes, body FROM spool_by_place');
        Schema::drop('spool_by_place');
    }
};
