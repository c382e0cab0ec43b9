<?php

declare(strict_types=1);

namespace App\Runtime\Treating;

/** A record as it is kept in Lighterman's own database, for people to look at. */
final class KeptRecord
{
    /** @param  array<string, string|false|null>  $values  by column */
    public static function json(array $values): string
    {
        // A database text holds no zero byte; that of a value stands for one nowhere else than in the value itself.
        return json_encode(array_map(static fn (string|false|null $v): string|false|null => is_string($v) ? str_replace("\0", '', $v) : $v, $values), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_INVALID_UTF8_SUBSTITUTE | JSON_FORCE_OBJECT);
    }
}
