<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Support\Facades\DB;

/** Of trouble it is kept which act of Lighterman's own helps, in place of what a person is asked. */
return new class extends Migration
{
    private const TABLES = ['feeds', 'runs', 'route_logs'];

    private const ASKS = ['shape' => 'agree_to_shape', 'emptied' => 'decide_emptied', 'load' => 'load_again'];

    public function up(): void
    {
        $act = implode(' ', array_map(static fn (string $asks, string $act): string => "WHEN trouble->>'asks' = '{$asks}' THEN '{$act}'", array_keys(self::ASKS), self::ASKS));
        foreach (self::TABLES as $table) {
            DB::statement("UPDATE {$table} SET trouble = (trouble - 'asks') || jsonb_build_object('act', CASE {$act} WHEN trouble->>'remedy' LIKE 'Begin anew%' THEN 'begin_anew' WHEN trouble->>'remedy' LIKE 'Start the feed over%' THEN 'start_over' END, 'of', NULL) WHERE trouble IS NOT NULL");
        }
    }

    public function down(): void
    {
        $asks = implode(' ', array_map(static fn (string $asks, string $act): string => "WHEN '{$act}' THEN '{$asks}'", array_keys(self::ASKS), self::ASKS));
        foreach (self::TABLES as $table) {
            DB::statement("UPDATE {$table} SET trouble = (trouble - 'act' - 'of') || jsonb_build_object('asks', CASE trouble->>'act' {$asks} END) WHERE trouble IS NOT NULL");
        }
    }
};
