<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Schema;

/** One table of leases for every kind of work, and the workers that there are. */
return new class extends Migration
{
    public function up(): void
    {
        Schema::rename('leases', 'feed_leases');
        Schema::create('leases', function (Blueprint $table): void {
            // Each is about one piece of work: one of these is set.
            $table->foreignId('feed_id')->nullable()->unique()->constrained('feeds')->cascadeOnDelete();
            $table->foreignId('log_id')->nullable()->unique()->constrained('route_logs')->cascadeOnDelete();
            $table->string('worker', 120)->index();
            $table->bigInteger('token');
            $table->timestampTz('expires_at', 6);
        });
        DB::statement('ALTER TABLE leases ADD CONSTRAINT leases_of_one CHECK (num_nonnulls(feed_id, log_id) = 1)');
        // Tokens go on growing: targets have noted the greatest they saw.
        DB::statement('INSERT INTO leases (feed_id, worker, token, expires_at) SELECT feed_id, worker, token, expires_at FROM feed_leases');
        DB::statement("INSERT INTO leases (log_id, worker, token, expires_at) SELECT id, coalesce(worker, ''), token, coalesce(expires_at, now()) FROM route_logs WHERE token > 0");
        Schema::drop('feed_leases');
        Schema::table('route_logs', fn (Blueprint $table) => $table->dropColumn(['worker', 'token', 'expires_at']));
        Schema::create('workers', function (Blueprint $table): void {
            $table->string('name', 120)->primary();
            $table->timestampTz('seen_at', 6);
        });
    }

    public function down(): void
    {
        Schema::table('route_logs', function (Blueprint $table): void {
            $table->string('worker', 120)->nullable();
            $table->bigInteger('token')->default(0);
            $table->timestampTz('expires_at', 6)->nullable();
        });
        DB::statement('UPDATE route_logs r SET worker = l.worker, token = l.token, expires_at = l.expires_at FROM leases l WHERE l.log_id = r.id');
        DB::statement('DELETE FROM leases WHERE feed_id IS NULL');
        DB::statement('ALTER TABLE leases DROP CONSTRAINT leases_of_one');
        Schema::table('leases', function (Blueprint $table): void {
            $table->dropColumn('log_id');
            $table->dropIndex(['worker']);
            $table->dropUnique(['feed_id']);
            $table->primary('feed_id');
        });
        Schema::drop('workers');
    }
};
