<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Fault;

/** How numbers are written in text. The form is the whole value: groups of digits are three digits long, and nothing else stands beside them. */
final readonly class NumberForm
{
    /** Spaces that stand between groups of digits: plain, without a break, narrow, thin. */
    private const SPACES = '[ \x{A0}\x{202F}\x{2009}]';

    private string $regex;

    private string $group;

    /**
     * @param  string  $decimal  the mark before decimals
     * @param  string  $thousands  the mark between groups of digits; empty for none
     */
    public function __construct(private string $decimal, string $thousands)
    {
        $this->group = $thousands === ' ' ? self::SPACES : preg_quote($thousands, '~');
        $point = preg_quote($decimal, '~');
        $whole = $thousands === '' ? '\d*' : "(?:\d{1,3}(?:{$this->group}\d{3})+|\d*)";
        $this->regex = "~^[+-]?(?=\d|{$point}\d){$whole}(?:{$point}\d*)?(?:[eE][+-]?\d+)?$~Du";
    }

    /**
     * Digits, sign and point as programs write them; empty for blank text.
     *
     * @throws Fault
     */
    public function plain(string $value): string
    {
        $value = trim($value);
        if ($value === '') {
            return '';
        }
        if (preg_match($this->regex, $value) !== 1) {
            throw Fault::because('not_a_number', $this->decimal === '.' && $this->group === '' ? 'the value is not a number' : 'the value is not a number with the stated marks');
        }
        $value = $this->group === '' ? $value : (string) preg_replace("~{$this->group}~u", '', $value);

        return $this->decimal === '.' ? $value : str_replace($this->decimal, '.', $value);
    }
}
