<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\AllowedPath;
use Lighterman\Connectors\Form\PathField;
use Lighterman\Connectors\Objects\StoreFields;
use Lighterman\Core\Port\Access;
use Lighterman\Core\Port\Form\Form;
use Lighterman\Core\Port\Target;
use Lighterman\Core\Port\TargetSystem;

/** Lakes in a folder or in an object store, to land in. */
final readonly class LakeConnector implements Target
{
    /** @param  bool  $inStore  whether they lie in an object store */
    public function __construct(private bool $inStore)
    {
    }

    public function kind(): string
    {
        return $this->inStore ? 'lake-store' : 'lake';
    }

    public function word(): string
    {
        return $this->inStore ? 'Lake in an object store' : 'Lake folder';
    }

    public function form(): Form
    {
        return $this->inStore ? StoreFields::form() : PathField::form('Folder on this machine', '/srv/lake', 'Tables land there as files, in folders by partition. Workers and pages must run where it lies.');
    }

    public function place(array $settings): string
    {
        return $this->inStore ? StoreFields::place($settings) : (string) $settings['path'];
    }

    public function keepsFiles(): bool
    {
        return true;
    }

    public function target(Access $access): TargetSystem
    {
        return new LakeTarget(new LakeSettings($access->system, $this->inStore ? StoreFields::store($access) : AllowedPath::of($access), $access->engine->memory, $access->engine->threads, $access->engine->temporary, $access->engine->fetched));
    }
}
