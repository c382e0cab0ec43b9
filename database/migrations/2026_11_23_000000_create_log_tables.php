<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        // The reading of a source's change log for one route.
        Schema::create('route_logs', function (Blueprint $t): void {
            $t->id();
            $t->uuid('uid')->unique();
            $t->foreignId('route_id')->unique()->constrained('routes')->cascadeOnDelete();
            $t->string('slot', 63);
            $t->string('publication', 63);
            $t->string('standing', 20)->default('new');
            $t->jsonb('trouble')->nullable();
            $t->jsonb('findings')->nullable();
            $t->timestampTz('checked_at', 6)->nullable();
            $t->boolean('anew_asked')->default(false);
            $t->bigInteger('read_to')->default(0);
            $t->timestampTz('complete_up_to', 6)->nullable();
            $t->bigInteger('retained_bytes')->default(0);
            $t->bigInteger('waiting_bytes')->default(0);
            $t->bigInteger('clock_ahead_us')->default(0);
            $t->bigInteger('clock_uncertain_us')->nullable();
            $t->bigInteger('warn_bytes')->default(500_000_000);
            $t->bigInteger('spool_bytes')->default(1_000_000_000);
            $t->bigInteger('drop_bytes')->nullable();
            $t->integer('failures')->default(0);
            $t->timestampTz('due_at', 6)->nullable();
            $t->string('worker', 120)->nullable();
            $t->bigInteger('token')->default(0);
            $t->timestampTz('expires_at', 6)->nullable();
            $t->timestampsTz(6);
        });
        // Changes of feeds that cannot be landed for the time being, a part of a source transaction to a row.
        Schema::create('spool', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->bigInteger('lsn');
            $t->integer('part');
            $t->bigInteger('committed_at');
            $t->integer('changes');
            $t->binary('body');
            $t->primary(['feed_id', 'lsn', 'part']);
        });
        Schema::create('latency_minutes', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->timestampTz('minute');
            $t->jsonb('histogram');
            $t->bigInteger('changes');
            foreach (['reading_ms', 'treating_ms', 'landing_ms'] as $time) {
                $t->double($time)->default(0);
            }
            $t->primary(['feed_id', 'minute']);
            $t->index('minute');
        });
        // Changes by the time they were committed at the source and by the time they were delivered, in steps of seconds.
        Schema::create('tides', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->smallInteger('step');
            $t->timestampTz('at');
            $t->bigInteger('committed')->default(0);
            $t->bigInteger('delivered')->default(0);
            $t->primary(['feed_id', 'step', 'at']);
            $t->index(['step', 'at']);
        });
        foreach (['runs', 'receipts'] as $table) {
            Schema::table($table, function (Blueprint $t): void {
                $t->bigInteger('superseded')->default(0);
            });
        }
        Schema::table('feeds', function (Blueprint $t): void {
            // A part of a live feed to be loaded again, and what was decided about a table that was emptied.
            $t->jsonb('reload')->nullable();
            $t->string('emptied', 10)->nullable();
            $t->bigInteger('waiting')->default(0);
        });
    }
};
