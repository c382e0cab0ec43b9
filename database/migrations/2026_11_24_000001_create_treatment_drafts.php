<?php

declare(strict_types=1);

use Illuminate\Database\Migrations\Migration;
use Illuminate\Database\Schema\Blueprint;
use Illuminate\Support\Facades\Schema;

return new class extends Migration
{
    public function up(): void
    {
        // What somebody is changing on a feed's column sheet and has not saved as a version yet.
        Schema::create('treatment_drafts', function (Blueprint $t): void {
            $t->foreignId('feed_id')->primary()->constrained('feeds')->cascadeOnDelete();
            $t->jsonb('body');
            $t->string('person', 60);
            $t->timestampTz('updated_at', 6);
        });
    }
};
