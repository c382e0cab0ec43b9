<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Mask;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/** Letters, with the marks that belong to them, become x or X and digits 9; all else stays, so that one sees how the value was written. */
final readonly class KeepShape implements Worker
{
    public function of(string $value): string
    {
        if (preg_match('/^[\x20-\x7e]*$/', $value)) {
            return strtr($value, 'ABCDEFGHIJKLMNOPQRSTUVWYZabcdefghijklmnopqrstuvwyz012345678', 'XXXXXXXXXXXXXXXXXXXXXXXXXxxxxxxxxxxxxxxxxxxxxxxxxx999999999');
        }
        $shape = preg_replace(['/\p{N}\p{M}*/u', '/(?![\p{Lu}\p{Lt}])\p{L}\p{M}*/u', '/[\p{Lu}\p{Lt}]\p{M}*/u', '/\p{M}+/u'], ['9', 'x', 'X', ''], $value);

        return $shape ?? throw Fault::because('invalid_utf8', 'the value is not valid UTF-8');
    }
}
