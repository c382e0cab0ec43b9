<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** How rows are written to the landed table. */
enum Landing: string
{
    case Append = 'append';
    case Upsert = 'upsert';
    case Replace = 'replace';
    case Versions = 'versions';

    public function explanation(): string
    {
        return match ($this) {
            self::Append => 'Every row read is added; nothing is changed or removed.',
            self::Upsert => 'A row with a known key is updated, any other is inserted.',
            self::Replace => 'The table is built anew beside the old one and swapped in whole.',
            self::Versions => 'Every version of a row is kept, with the time from which and to which it was valid.',
        };
    }
}
