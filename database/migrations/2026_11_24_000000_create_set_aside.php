<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        // Keys of keyed hashes, which must never change while anything hashed with them is joined.
        Schema::create('mask_keys', function (Blueprint $t): void {
            $t->string('name', 40)->primary();
            $t->text('secret');
            $t->timestampTz('created_at', 6);
        });
        Schema::create('set_aside', function (Blueprint $t): void {
            $t->id();
            $t->foreignId('feed_id')->constrained('feeds')->cascadeOnDelete();
            $t->foreignId('definition_id')->constrained('definitions')->cascadeOnDelete();
            $t->bigInteger('run_id')->index();
            // Of the receipt that tells of it: until that is landed the record is only on its way here.
            $t->bigInteger('sequence');
            $t->text('position');
            $t->bigInteger('lsn')->nullable();
            $t->integer('number')->default(0);
            $t->string('kind', 10);
            $t->bigInteger('made_at')->nullable();
            $t->string('step', 300);
            $t->string('reason', 40);
            $t->text('message');
            $t->text('key');
            $t->string('key_hash', 32);
            // As read: with what masks hide left out, and whole but encrypted.
            $t->json('record');
            $t->text('sealed');
            $t->json('at_step');
            $t->string('state', 12)->default('waiting');
            // Receipts by which a newer version of the row landed, or this record did.
            $t->bigInteger('overtaken_by')->nullable();
            $t->bigInteger('sent_by')->nullable();
            $t->boolean('edited')->default(false);
            $t->text('note')->nullable();
            $t->string('person', 60)->nullable();
            $t->timestampTz('at', 6);
            $t->timestampTz('settled_at', 6)->nullable();
            $t->index(['feed_id', 'state', 'reason']);
            $t->index(['feed_id', 'key_hash']);
            $t->index(['state', 'at']);
        });
        // Looked for on every page, and mostly there are none.
        DB::statement("CREATE INDEX set_aside_waiting ON set_aside (feed_id, sequence) WHERE state = 'waiting' AND overtaken_by IS NULL");
        Schema::table('runs', function (Blueprint $t): void {
            $t->bigInteger('warned')->default(0);
        });
    }
};
