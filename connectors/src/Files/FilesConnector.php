<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Lighterman\Connectors\AllowedPath;
use Lighterman\Connectors\Form\PathField;
use Lighterman\Connectors\Objects\StoreFields;
use Lighterman\Core\Port\Access;
use Lighterman\Core\Port\Form\Form;
use Lighterman\Core\Port\Source;
use Lighterman\Core\Port\SourceSystem;

/** Files that others leave in a folder or in an object store, to read from. */
final readonly class FilesConnector implements Source
{
    /** @param  bool  $inStore  whether they lie in an object store */
    public function __construct(private bool $inStore)
    {
    }

    public function kind(): string
    {
        return $this->inStore ? 'files-store' : 'files';
    }

    public function word(): string
    {
        return $this->inStore ? 'Files in an object store' : 'Files in a folder';
    }

    public function form(): Form
    {
        return $this->inStore ? StoreFields::form() : PathField::form('Folder on this machine', '/srv/lab-drop', 'Files are left there by others, and only read. Workers and pages must run where it lies.');
    }

    public function place(array $settings): string
    {
        return $this->inStore ? StoreFields::place($settings) : (string) $settings['path'];
    }

    public function bringsFiles(): bool
    {
        return true;
    }

    public function source(Access $access): SourceSystem
    {
        return new FilesSource(new FilesSettings($access->system, $this->inStore ? StoreFields::store($access) : AllowedPath::of($access), $access->engine->memory, $access->engine->threads, $access->engine->temporary, $access->engine->fetched));
    }
}
