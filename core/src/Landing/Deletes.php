<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** What becomes of a landed row whose source row was deleted. */
enum Deletes: string
{
    case Apply = 'apply';
    case Mark = 'mark';
    case Ignore = 'ignore';

    public function explanation(): string
    {
        return match ($this) {
            self::Apply => 'A row deleted at the source is deleted in the copy.',
            self::Mark => 'A row deleted at the source stays, with the time of its delete in deleted_at.',
            self::Ignore => 'A row deleted at the source stays as it was.',
        };
    }
}
