<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\SystemBook;
use App\Models\System;
use App\Runtime\Common\Systems;

/** A fresh lake beside the warehouse. */
abstract class LakeCase extends AppCase
{
    protected string $path;

    protected System $lake;

    protected function setUp(): void
    {
        parent::setUp();
        $this->path = sys_get_temp_dir().'/lake-'.bin2hex(random_bytes(5));
        mkdir($this->path);
        $this->lake = SystemBook::add('lake', ['path' => $this->path], '', 'lake');
    }

    protected function tearDown(): void
    {
        exec('rm -rf '.escapeshellarg($this->path));
        parent::tearDown();
    }

    /** @return list<list<string|null>> */
    protected function inLake(string $sql): array
    {
        return app(Systems::class)->target($this->lake)->query($sql, 1000, 30)->rows;
    }
}
