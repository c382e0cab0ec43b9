<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Objects;

use Lighterman\Core\Port\Access;
use Lighterman\Core\Port\Form\Field;
use Lighterman\Core\Port\Form\FieldKind;
use Lighterman\Core\Port\Form\FieldLimits;
use Lighterman\Core\Port\Form\Form;

/** How a bucket of an object store is reached. */
final class StoreFields
{
    public static function form(): Form
    {
        return new Form(
            new Field('endpoint', 'Address', limits: new FieldLimits(300, pattern: '/^https?:\/\/[^\s\/]+\/?$/', says: 'Give an address such as https://store.aldermoor.example, without a path.'), hint: 'Of any store that speaks the S3 protocol.', example: 'https://store.aldermoor.example', guards: true),
            new Field('region', 'Region', limits: new FieldLimits(60), default: 'us-east-1', hint: 'Where a store has none, leave it.'),
            new Field('bucket', 'Bucket', limits: new FieldLimits(255, pattern: '/^[A-Za-z0-9._-]+$/', says: 'The name of a bucket has letters, digits, points, - and _ only.'), guards: true),
            new Field('prefix', 'Below', limits: new FieldLimits(500, optional: true, pattern: '/^[^\/\s][^\s]*$/', says: 'The prefix has no blanks, and does not begin with /.'), hint: 'A prefix such as lake/cider.', example: 'the whole bucket'),
            new Field('user', 'Key', guards: true),
            new Field('secret', 'Secret', FieldKind::Secret),
            new Field('addressing', 'The bucket stands', FieldKind::Choice, new FieldLimits(choices: ['path' => 'in the path of the address', 'host' => 'before its host']), 'path', guards: true),
        );
    }

    /** @param  array<string, string|int>  $settings */
    public static function place(array $settings): string
    {
        return "{$settings['endpoint']}/{$settings['bucket']}".(($settings['prefix'] ?? '') === '' ? '' : "/{$settings['prefix']}");
    }

    public static function store(Access $access): ObjectStore
    {
        return new ObjectStore(rtrim($access->text('endpoint'), '/'), $access->text('region'), $access->text('bucket'), trim($access->text('prefix'), '/'), $access->text('user'), $access->secret(), $access->text('addressing') === 'path');
    }
}
