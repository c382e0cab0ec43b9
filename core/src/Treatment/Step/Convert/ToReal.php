<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Real;
use Lighterman\Core\Treatment\Value\Worker;

/** An inexact number out of text, which may be NaN, Infinity or -Infinity; blank text is null. */
final readonly class ToReal implements Worker
{
    private NumberForm $form;

    /** @param  bool  $single  whether it is of single precision */
    public function __construct(string $decimal, string $thousands, private bool $single)
    {
        $this->form = new NumberForm($decimal, $thousands);
    }

    public function of(string $value): ?string
    {
        if (in_array($value, ['NaN', 'Infinity', '-Infinity'], true)) {
            return $value;
        }
        $plain = $this->form->plain($value);
        if ($plain === '') {
            return null;
        }
        $real = (float) Real::of($plain);
        // The least and the greatest that IEEE 754 has for the format.
        [$least, $most] = $this->single ? [1.401298464324817e-45, 3.4028234663852886e38] : [5e-324, PHP_FLOAT_MAX];
        if (abs($real) > $most || (abs($real) < $least && preg_match('/[1-9]/', explode('e', strtolower($plain))[0]) === 1)) {
            throw Fault::because('out_of_range', 'the value does not fit into a number of '.($this->single ? 'single' : 'double').' precision');
        }

        return Real::text($real);
    }
}
