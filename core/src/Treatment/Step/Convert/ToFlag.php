<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/** True or false out of a word, whatever its capitals; blank text is null unless it is one of the words. */
final readonly class ToFlag implements Worker
{
    private const TRUE = ['t', 'true', 'yes', 'y', '1', 'on'];

    private const FALSE = ['f', 'false', 'no', 'n', '0', 'off'];

    /** @var array<string, string> */
    private array $words;

    /**
     * @param  list<string>  $true
     * @param  list<string>  $false  both empty for the usual English words
     */
    public function __construct(array $true, array $false)
    {
        $usual = $true === [] && $false === [];
        $lower = static fn (string $w): string => mb_strtolower($w, 'UTF-8');
        $this->words = array_fill_keys(array_map($lower, $usual ? self::TRUE : $true), 't') + array_fill_keys(array_map($lower, $usual ? self::FALSE : $false), 'f');
    }

    public function of(string $value): ?string
    {
        $word = mb_strtolower(trim($value), 'UTF-8');

        return $this->words[$word] ?? ($word === '' ? null : throw Fault::because('not_a_flag', 'the value is none of the words for true and false'));
    }
}
