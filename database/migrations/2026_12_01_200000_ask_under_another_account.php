<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        Schema::table('systems', static function (Blueprint $table): void {
            $table->text('asker_user')->nullable();
            $table->text('asker_secret')->nullable();
        });
    }

    public function down(): void
    {
        Schema::table('systems', static fn (Blueprint $table) => $table->dropColumn(['asker_user', 'asker_secret']));
    }
};
