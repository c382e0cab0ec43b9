<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

/**
 * A regular expression (PCRE2) that gives up rather than run for ever. `$` is the end of a value, and not before a last line break.
 *
 * The limit is written at the start of the pattern, and just-in-time compilation is off because it would count otherwise.
 *
 * @see https://www.pcre.org/current/doc/html/pcre2pattern.html#SEC2 "Special start-of-pattern items"
 */
final readonly class Pattern
{
    private function __construct(private string $compiled, public string $text)
    {
    }

    /** @return self|string the pattern, or what is wrong with it */
    public static function of(string $text): self|string
    {
        if (str_starts_with($text, '(*')) {
            return 'a pattern may not begin with (*';
        }
        $compiled = '~(*NO_JIT)(*LIMIT_MATCH='.Limits::PATTERN_STEPS.')'.preg_replace('/\\\\.(*SKIP)(*FAIL)|~/s', '\\~', $text).'~uD';
        set_error_handler(static fn (): bool => true);
        try {
            $valid = preg_match($compiled, '') !== false;
        } finally {
            restore_error_handler();
        }

        return $valid ? new self($compiled, $text) : 'it is not a pattern: '.lcfirst(preg_last_error_msg() === 'Internal error' ? 'check brackets and escapes' : preg_last_error_msg());
    }

    /** @throws Fault */
    public function matches(string $value): bool
    {
        return $this->run($value) !== [];
    }

    /** The first group of the first match, or the whole match where there is no group; null without a match. */
    public function first(string $value): ?string
    {
        $found = $this->run($value);

        return $found[1] ?? $found[0] ?? null;
    }

    /** Every match replaced; `$1` stands for its first group. */
    public function replace(string $value, string $by): string
    {
        return @preg_replace($this->compiled, $by, $value) ?? throw Fault::because('pattern_gave_up', "the pattern {$this->text} needs too many steps on this value");
    }

    /** @return array<string|null> */
    private function run(string $value): array
    {
        $result = @preg_match($this->compiled, $value, $found, PREG_UNMATCHED_AS_NULL);
        if ($result === false) {
            throw preg_last_error() === PREG_BAD_UTF8_ERROR
                ? Fault::because('invalid_utf8', 'the value is not valid UTF-8')
                : Fault::because('pattern_gave_up', "the pattern {$this->text} needs too many steps on this value");
        }

        return $found;
    }
}
