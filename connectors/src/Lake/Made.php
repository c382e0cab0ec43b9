<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use DeflateContext;
use Lighterman\Core\Format\RowWriter;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;

/** Files of formats that are written row by row, one after the other, each in the folder of its partition. */
final class Made
{
    /** @var resource|null */
    private $file = null;

    private ?RowWriter $writer = null;

    private ?DeflateContext $packing = null;

    private ?string $folder = null;

    private string $path = '';

    private string $held = '';

    private int $rows = 0;

    private int $bytes = 0;

    /** @var array<string, int> rows by path */
    private array $done = [];

    /**
     * @param  string  $root  absolute folder that the partitions' folders are made in
     * @param  string  $prefix  of names, which no other files have
     * @param  bool  $single  whether a partition is one file, however large
     */
    public function __construct(private readonly string $root, private readonly string $prefix, private readonly FileWriting $writing, private readonly Shape $shape, private readonly string $table, private readonly bool $single)
    {
    }

    /**
     * @param  string  $folder  of the row's partition, empty for none; those of one partition come together
     * @param  list<string|null>  $row
     */
    public function add(string $folder, array $row): void
    {
        if ($folder !== $this->folder || (! $this->single && ($this->rows >= $this->writing->rows || $this->bytes >= $this->writing->megabytes << 20))) {
            $this->close();
            $this->open($folder);
        }
        $this->put($this->writer?->row($row) ?? '');
        $this->rows++;
    }

    /** @return array<string, int> rows of the files that were made, by their absolute path */
    public function finish(): array
    {
        $this->close();
        $this->folder = null;

        return $this->done;
    }

    private function open(string $folder): void
    {
        $this->folder = $folder;
        $in = $folder === '' ? $this->root : "{$this->root}/{$folder}";
        is_dir($in) || mkdir($in, 0777, true);
        $this->path = "{$in}/{$this->prefix}-".count($this->done).".{$this->writing->ending()}";
        $this->file = @fopen($this->path, 'xb') ?: throw PrivilegeTrouble::toWrite($this->path);
        $this->packing = $this->writing->packed === 'gzip' ? (deflate_init(ZLIB_ENCODING_GZIP) ?: throw new \LogicException('zlib is missing.')) : null;
        $this->writer = $this->writing->writer($this->shape, $this->table, random_bytes(16));
        $this->rows = $this->bytes = 0;
        $this->put($this->writer->begin());
    }

    private function put(string $bytes): void
    {
        $this->bytes += strlen($bytes);
        $this->held .= $bytes;
        if (strlen($this->held) > 1 << 18) {
            $this->flush();
        }
    }

    private function flush(bool $last = false): void
    {
        $bytes = $this->packing === null ? $this->held : (string) deflate_add($this->packing, $this->held, $last ? ZLIB_FINISH : ZLIB_NO_FLUSH);
        $this->held = '';
        if ($this->file !== null && @fwrite($this->file, $bytes) !== strlen($bytes)) {
            throw FileTrouble::full($this->path);
        }
    }

    private function close(): void
    {
        $file = $this->file;
        if ($file !== null) {
            $this->put($this->writer?->end() ?? '');
            $this->flush(last: true);
            fclose($file);
            $this->done[$this->path] = $this->rows;
            $this->file = $this->writer = $this->packing = null;
        }
    }
}
