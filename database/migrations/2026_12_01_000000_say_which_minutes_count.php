<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;

return new class extends Migration
{
    public function up(): void
    {
        DB::statement('ALTER TABLE behind_minutes ALTER seconds DROP NOT NULL, ALTER kept DROP NOT NULL, ADD left_out varchar(16)');
    }

    public function down(): void
    {
        DB::statement('DELETE FROM behind_minutes WHERE seconds IS NULL OR kept IS NULL');
        DB::statement('ALTER TABLE behind_minutes ALTER seconds SET NOT NULL, ALTER kept SET NOT NULL, DROP left_out');
    }
};
