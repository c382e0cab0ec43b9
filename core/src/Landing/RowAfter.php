<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** A row as a change leaves it, with its key before and after, and with what the source did not send filled in where it is known. */
final readonly class RowAfter
{
    /**
     * @param  string|null  $leaves  text of the key the row had before, when the key itself has changed
     * @param  list<string|false|null>  $row
     * @param  list<string>|null  $from  key of the landed row that holds the values still not known; null when all are
     */
    private function __construct(public string $key, public ?string $leaves, public array $row, public ?array $from)
    {
    }

    /**
     * @param  list<string|false|null>  $after
     * @param  list<string|false|null>|null  $before
     * @param  callable(string): (array{list<string|false|null>, list<string>|null}|null)  $earlier  the row last seen under a key in this batch, and where its own unknown values are
     */
    public static function of(array $after, ?array $before, KeyOf $key, callable $earlier): self
    {
        $old = null;
        if ($before !== null) {
            foreach ($key->places as $at) {
                $after[$at] = $after[$at] === false ? $before[$at] : $after[$at];
            }
            $old = $key->text($before);
        }
        $new = $key->text($after);
        $leaves = $old === null || $old === $new ? null : $old;
        if (! in_array(false, $after, true)) {
            return new self($new, $leaves, $after, null);
        }
        [$known, $from] = $earlier($old ?? $new) ?? [$before ?? [], null];
        foreach ($after as $i => $value) {
            if ($value === false) {
                $after[$i] = array_key_exists($i, $known) ? $known[$i] : false;
            }
        }

        return new self($new, $leaves, $after, in_array(false, $after, true) ? $from ?? $key->values($before ?? $after) : null);
    }
}
