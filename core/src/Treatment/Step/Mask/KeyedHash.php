<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Mask;

use Lighterman\Core\Treatment\Value\Worker;
use SensitiveParameter;

/**
 * Keyed BLAKE2b of 128 bits in hexadecimal: the same value gives the same hash in every feed that uses the key, so that
 * what was joined before can be joined after.
 *
 * @see https://www.rfc-editor.org/rfc/rfc7693#section-2.9
 */
final readonly class KeyedHash implements Worker
{
    /** @param  string  $key  16 to 64 bytes */
    public function __construct(#[SensitiveParameter] private string $key)
    {
    }

    public function of(string $value): string
    {
        return bin2hex(sodium_crypto_generichash($value, $this->key, 16));
    }
}
