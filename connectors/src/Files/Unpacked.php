<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Generator;
use Lighterman\Core\Port\BrokenFile;

/**
 * The text of a gzip file, piece by piece.
 *
 * @see https://www.rfc-editor.org/rfc/rfc1952
 */
final class Unpacked
{
    /** Bytes that are inflated at once: what comes of them is at most a thousand times as much. */
    private const AT_ONCE = 8 << 10;

    /**
     * @param  iterable<int, string>  $bytes
     * @return Generator<int, string>
     *
     * @throws BrokenFile if it is damaged, or ends before it should
     */
    public static function of(iterable $bytes, string $path): Generator
    {
        $begin = static fn (): \InflateContext => inflate_init(ZLIB_ENCODING_GZIP) ?: throw new \LogicException('zlib is missing.');
        $inflating = null;
        foreach (self::small($bytes) as $piece) {
            while ($piece !== '') {
                $inflating ??= $begin();
                $before = inflate_get_read_len($inflating);
                $text = @inflate_add($inflating, $piece);
                if ($text === false) {
                    throw BrokenFile::at($path, 'it is damaged, or is no gzip file');
                }
                if ($text !== '') {
                    yield $text;
                }
                // A file may be several one after the other.
                $ended = inflate_get_status($inflating) === ZLIB_STREAM_END;
                $piece = $ended ? substr($piece, inflate_get_read_len($inflating) - $before) : '';
                $inflating = $ended ? null : $inflating;
            }
        }
        if ($inflating !== null) {
            throw BrokenFile::at($path, 'it ends before it should');
        }
    }

    /**
     * @param  iterable<int, string>  $bytes
     * @return Generator<int, string>
     */
    private static function small(iterable $bytes): Generator
    {
        foreach ($bytes as $piece) {
            yield from str_split($piece, self::AT_ONCE);
        }
    }
}
