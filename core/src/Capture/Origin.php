<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** What a feed reads, and by which capture. */
final readonly class Origin
{
    /**
     * @param  Shape  $shape  the table's shape as it was agreed
     * @param  list<string>  $key  columns that tell rows apart; may be empty only where rows are appended or the table is replaced
     * @param  Watermark|null  $watermark  for a capture that goes by one
     * @param  list<string>  $leaveOut  columns not carried
     * @param  FileReading|null  $files  how the source's files are read, where it keeps files; null elsewhere
     */
    public function __construct(
        public TableName $table,
        public Shape $shape,
        public Capture $capture,
        public array $key,
        public ?Watermark $watermark = null,
        public array $leaveOut = [],
        public ?FileReading $files = null,
    ) {
    }

    public function watermarkColumn(): ?string
    {
        return $this->watermark?->column;
    }

    /** Null where there is no watermark, or no such column. */
    public function watermarkMode(): ?WatermarkMode
    {
        $type = $this->watermark === null ? null : $this->shape->column($this->watermark->column)?->type;

        return $type === null ? null : WatermarkMode::for($type, $this->watermark->unique);
    }
}
