<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/**
 * A UUID out of its 32 digits, with or without hyphens and braces; blank text is null.
 *
 * @see https://www.rfc-editor.org/rfc/rfc9562#section-4
 */
final readonly class ToUuid implements Worker
{
    public function of(string $value): ?string
    {
        $digits = strtolower(str_replace(['-', '{', '}', ' '], '', $value));
        if ($digits === '') {
            return null;
        }

        return preg_match('/^[0-9a-f]{32}$/', $digits) ? preg_replace('/^(.{8})(.{4})(.{4})(.{4})(.{12})$/', '$1-$2-$3-$4-$5', $digits) : throw Fault::because('not_a_uuid', 'the value is not a UUID');
    }
}
