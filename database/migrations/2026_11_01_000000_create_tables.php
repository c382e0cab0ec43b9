<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        Schema::create('people', function (Blueprint $t): void {
            $t->id();
            $t->string('name', 60)->unique();
            $t->string('password');
            $t->string('role', 20);
            $t->string('zone', 60)->default('UTC');
            $t->rememberToken();
            $t->timestampsTz(6);
        });
        Schema::create('sessions', function (Blueprint $t): void {
            $t->string('id')->primary();
            $t->foreignId('user_id')->nullable()->index();
            $t->string('ip_address', 45)->nullable();
            $t->text('user_agent')->nullable();
            $t->longText('payload');
            $t->integer('last_activity')->index();
        });
        Schema::create('cache', function (Blueprint $t): void {
            $t->string('key')->primary();
            $t->mediumText('value');
            $t->integer('expiration')->index();
        });
        Schema::create('cache_locks', function (Blueprint $t): void {
            $t->string('key')->primary();
            $t->string('owner');
            $t->integer('expiration');
        });
        Schema::create('audit_entries', function (Blueprint $t): void {
            $t->id();
            $t->string('person', 60);
            $t->string('action', 60);
            $t->string('subject_kind', 30);
            $t->string('subject', 200);
            $t->jsonb('before')->nullable();
            $t->jsonb('after')->nullable();
            $t->timestampTz('at', 6)->index();
        });
        Schema::create('systems', function (Blueprint $t): void {
            $t->id();
            $t->string('name', 60)->unique();
            $t->string('kind', 20);
            $t->jsonb('settings');
            $t->text('secret')->nullable();
            $t->jsonb('findings')->nullable();
            $t->timestampTz('checked_at', 6)->nullable();
            $t->timestampsTz(6);
        });
        Schema::create('routes', function (Blueprint $t): void {
            $t->id();
            $t->string('name', 120)->unique();
            $t->foreignId('source_id')->constrained('systems');
            $t->foreignId('target_id')->constrained('systems');
            $t->timestampsTz(6);
            $t->unique(['source_id', 'target_id']);
        });
        Schema::create('feeds', function (Blueprint $t): void {
            $t->id();
            $t->uuid('uid')->unique();
            $t->foreignId('route_id')->constrained('routes')->index();
            $t->string('name', 119)->unique();
            $t->unsignedBigInteger('definition_id')->nullable();
            $t->string('landed', 200);
            $t->string('capture', 20);
            $t->string('standing', 20)->default('new');
            $t->timestampTz('paused_at', 6)->nullable();
            $t->boolean('cancel_asked')->default(false);
            $t->integer('promise_seconds');
            $t->jsonb('position')->nullable();
            $t->bigInteger('sequence')->default(0);
            $t->jsonb('note')->nullable();
            $t->timestampTz('complete_up_to', 6)->nullable();
            $t->timestampTz('due_at', 6)->nullable()->index();
            $t->string('why', 20)->nullable();
            $t->jsonb('progress')->nullable();
            $t->jsonb('trouble')->nullable();
            $t->integer('failures')->default(0);
            $t->unsignedBigInteger('last_run_id')->nullable();
            $t->timestampTz('last_landed_at', 6)->nullable();
            $t->timestampsTz(6);
        });
        Schema::create('definitions', function (Blueprint $t): void {
            $t->id();
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->integer('version');
            $t->jsonb('body');
            $t->string('person', 60);
            $t->timestampTz('created_at', 6);
            $t->unique(['feed_id', 'version']);
        });
        Schema::create('leases', function (Blueprint $t): void {
            $t->foreignId('feed_id')->primary()->constrained('feeds')->cascadeOnDelete();
            $t->string('worker', 120);
            $t->bigInteger('token');
            $t->timestampTz('expires_at', 6);
        });
        Schema::create('runs', function (Blueprint $t): void {
            $t->id();
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->foreignId('definition_id')->constrained('definitions')->cascadeOnDelete();
            $t->string('kind', 20);
            $t->string('state', 20);
            $t->string('why', 20);
            $t->string('worker', 120);
            $t->text('window_from')->nullable();
            $t->text('window_to')->nullable();
            foreach (['read', 'inserted', 'updated', 'unchanged', 'deleted', 'dropped', 'set_aside', 'bytes', 'batches'] as $count) {
                $t->bigInteger($count)->default(0);
            }
            foreach (['reading_ms', 'treating_ms', 'landing_ms'] as $time) {
                $t->double($time)->default(0);
            }
            $t->integer('empty_runs')->default(0);
            $t->jsonb('trouble')->nullable();
            $t->timestampTz('started_at', 6);
            $t->timestampTz('ended_at', 6)->nullable();
            $t->index(['feed_id', 'id']);
            $t->index('started_at');
        });
        Schema::create('run_lines', function (Blueprint $t): void {
            $t->id();
            $t->foreignId('run_id')->constrained('runs')->cascadeOnDelete();
            $t->timestampTz('at', 6);
            $t->string('level', 10);
            $t->text('said');
            $t->index('run_id');
        });
        Schema::create('receipts', function (Blueprint $t): void {
            $t->id();
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->bigInteger('sequence');
            $t->bigInteger('run_id')->index();
            $t->jsonb('from_position');
            $t->jsonb('to_position');
            foreach (['read', 'inserted', 'updated', 'unchanged', 'deleted', 'dropped', 'set_aside', 'bytes'] as $count) {
                $t->bigInteger($count);
            }
            $t->string('checksum', 64);
            $t->string('source_time', 40)->nullable();
            $t->timestampTz('landed_at', 6);
            $t->unique(['feed_id', 'sequence']);
            $t->index('landed_at');
        });
        Schema::create('carried_hours', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->timestampTz('hour');
            $t->bigInteger('rows');
            $t->bigInteger('set_aside')->default(0);
            $t->primary(['feed_id', 'hour']);
            $t->index('hour');
        });
        Schema::create('behind_minutes', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->timestampTz('minute');
            $t->float('seconds');
            $t->boolean('kept');
            $t->primary(['feed_id', 'minute']);
            $t->index('minute');
        });
        // The worst of every five minutes, for the small lines of the Watch page.
        Schema::create('behind_fives', function (Blueprint $t): void {
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->timestampTz('at');
            $t->float('seconds');
            $t->primary(['feed_id', 'at']);
            $t->index('at');
        });
    }
};
