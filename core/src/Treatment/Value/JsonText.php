<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use Generator;

/**
 * The text of a JSON value (RFC 8259), cut where its parts begin and end, so that what is taken out of it is as it was written: its
 * numbers with all their digits, its names in their order, what is empty as what it was. The text is known to be JSON.
 */
final readonly class JsonText
{
    private const BLANK = " \t\r\n";

    private int $from;

    /** @param  string  $text  a value, blanks around it allowed */
    public function __construct(private string $text)
    {
        $this->from = strspn($text, self::BLANK);
    }

    public function isObject(): bool
    {
        return ($this->text[$this->from] ?? '') === '{';
    }

    public function isList(): bool
    {
        return ($this->text[$this->from] ?? '') === '[';
    }

    /** The value at a path such as `malt.0.kg`, as it is written; null where there is none. */
    public function at(string $path): ?string
    {
        $value = $this->whole();
        foreach (explode('.', $path) as $name) {
            $found = null;
            foreach ((new self($value))->parts() as $own => $part) {
                // Of a name that comes twice the last counts.
                $found = (string) $own === $name ? $part : $found;
            }
            if ($found === null) {
                return null;
            }
            $value = $found;
        }

        return $value;
    }

    /** @return array<array-key, string> the members of an object, as they are written; of a name that comes twice the last */
    public function members(): array
    {
        return $this->isObject() ? iterator_to_array($this->parts()) : [];
    }

    /** @return list<string> the elements of a list, as they are written */
    public function elements(): array
    {
        return $this->isList() ? iterator_to_array($this->parts(), false) : [];
    }

    /**
     * An object without some of its names.
     *
     * @param  list<string>  $except
     */
    public function without(array $except): string
    {
        $left = [];
        foreach ($this->parts() as $name => $part) {
            if (! in_array((string) $name, $except, true)) {
                $left[] = json_encode((string) $name, JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_THROW_ON_ERROR).':'.$part;
            }
        }

        return '{'.implode(',', $left).'}';
    }

    private function whole(): string
    {
        return substr($this->text, $this->from, $this->end($this->from) - $this->from);
    }

    /** @return Generator<int|string, string> members or elements, as they are written; nothing of what has none */
    private function parts(): Generator
    {
        if (! $this->isObject() && ! $this->isList()) {
            return;
        }
        $isObject = $this->isObject();
        $at = $this->blank($this->from + 1);
        for ($number = 0; ! in_array($this->text[$at], ['}', ']'], true); $number++) {
            $name = $number;
            if ($isObject) {
                $end = $this->end($at);
                $name = (string) json_decode(substr($this->text, $at, $end - $at), true, 2, JSON_THROW_ON_ERROR);
                // A colon, with blanks on either side.
                $at = $this->blank($this->blank($end) + 1);
            }
            $end = $this->end($at);
            yield $name => substr($this->text, $at, $end - $at);
            $at = $this->blank($end);
            $at = $this->text[$at] === ',' ? $this->blank($at + 1) : $at;
        }
    }

    private function blank(int $at): int
    {
        return $at + strspn($this->text, self::BLANK, $at);
    }

    /** Where the value ends that begins at a byte. */
    private function end(int $at): int
    {
        $first = $this->text[$at];
        if ($first === '"') {
            return $this->quoted($at);
        }
        if ($first !== '{' && $first !== '[') {
            return $at + strcspn($this->text, ',]}'.self::BLANK, $at);
        }
        $depth = 0;
        do {
            $at += strcspn($this->text, '{}[]"', $at);
            $depth += match ($this->text[$at]) {
                '{', '[' => 1, '}', ']' => -1, default => 0,
            };
            $at = $this->text[$at] === '"' ? $this->quoted($at) : $at + 1;
        } while ($depth > 0);

        return $at;
    }

    private function quoted(int $at): int
    {
        for ($at++; $this->text[$at += strcspn($this->text, '"\\', $at)] !== '"'; $at += 2) {
            continue;
        }

        return $at + 1;
    }
}
