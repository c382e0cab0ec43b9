<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        // A route may carry some tables by the source's log and others by triggers; each is read on its own.
        Schema::table('route_logs', function (Blueprint $t): void {
            $t->string('capture', 20)->default('log');
            $t->dropUnique(['route_id']);
            $t->unique(['route_id', 'capture']);
        });
        Schema::table('feeds', function (Blueprint $t): void {
            // When it was last found that changes were not recorded, and why.
            $t->jsonb('gap')->nullable();
        });
    }
};
