<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Objects;

use Aws\ResultInterface;
use HashContext;

/**
 * The checksum that a store keeps of an object, and that of the bytes which come of it.
 *
 * @see https://docs.aws.amazon.com/AmazonS3/latest/userguide/checking-object-integrity.html
 */
final readonly class StoredSum
{
    /** What a store may say it by, and what PHP calls it. */
    private const KINDS = ['ChecksumSHA256' => 'sha256', 'ChecksumSHA1' => 'sha1', 'ChecksumCRC32C' => 'crc32c', 'ChecksumCRC32' => 'crc32b'];

    private function __construct(private string $told, private HashContext $come)
    {
    }

    /** @return self|null null where the store keeps none of the whole object; of one written in parts it may know only those of the parts */
    public static function of(ResultInterface $object): ?self
    {
        foreach (self::KINDS as $name => $algorithm) {
            $told = $object[$name] ?? null;
            if (is_string($told) && $told !== '' && ! str_contains($told, '-') && ($object['ChecksumType'] ?? '') !== 'COMPOSITE') {
                return new self($told, hash_init($algorithm));
            }
        }

        return null;
    }

    public function add(string $bytes): void
    {
        hash_update($this->come, $bytes);
    }

    /** Asked once, when everything has come. */
    public function agrees(): bool
    {
        return base64_encode(hash_final($this->come, true)) === $this->told;
    }
}
