<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        Schema::table('people', function (Blueprint $t): void {
            // Whether what masks hide of a record set aside is shown to this person on demand.
            $t->boolean('sees_personal')->default(false);
        });
    }
};
