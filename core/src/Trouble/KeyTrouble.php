<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use Stringable;

/** The key of a feed does not tell the rows of its table apart. */
final class KeyTrouble extends SystemTrouble
{
    private function __construct(Reason $reason, string $message, string $remedy, public readonly string $table)
    {
        parent::__construct($reason, $message, $remedy, false);
    }

    /** @param  array<array-key, string|null>  $values  by column, that more than one row has */
    public static function doubled(string|Stringable $table, array $values): self
    {
        $said = implode(', ', array_map(static fn (int|string $c, ?string $v): string => "{$c} = {$v}", array_keys($values), $values));

        return new self(Reason::DuplicateKey, "{$table}: more than one row has {$said}, so the key does not tell rows apart.", 'Choose a key that no two rows share. Nothing of the batch was written.', (string) $table);
    }

    /** @param  string  $why  a sentence */
    public static function unsent(string|Stringable $table, string $why): self
    {
        return new self(Reason::NoKey, "{$table}: ".lcfirst($why), 'Choose a key whose columns are never null and belong to the table\'s replica identity.', (string) $table);
    }
}
