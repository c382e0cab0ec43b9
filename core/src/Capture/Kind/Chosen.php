<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\FileReading;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\Shape;

/** What was chosen for a feed, as far as it bears on its capture. */
final readonly class Chosen
{
    /**
     * @param  list<string>  $key
     * @param  Shape  $shape  of the source's table
     * @param  int  $overlap  re-read before each window, in the watermark's unit
     */
    public function __construct(
        public string $feed,
        public Landing $landing,
        public array $key,
        public Shape $shape,
        public Deletes $deletes,
        public ?ChosenWatermark $watermark,
        public int $overlap,
        public ?FileReading $files,
    ) {
    }

    public function mode(): ?WatermarkMode
    {
        $type = $this->watermark === null ? null : $this->shape->column($this->watermark->column)?->type;

        return $type === null ? null : WatermarkMode::for($type, $this->watermark->unique ?? false);
    }
}
