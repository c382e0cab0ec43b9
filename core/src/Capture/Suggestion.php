<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Landing\Landing;

/** How a table would best be captured and landed, with the reasons. */
final readonly class Suggestion
{
    /**
     * @param  list<string>  $key
     * @param  list<string>  $reasons
     */
    public function __construct(
        public Capture $capture,
        public ?string $watermark,
        public array $key,
        public Landing $landing,
        public array $reasons,
    ) {
    }
}
