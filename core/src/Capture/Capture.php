<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** How a feed notices what is new. All that is asked of one stands in Kind. */
enum Capture: string
{
    case Reload = 'reload';
    case Watermark = 'watermark';
    case Log = 'log';
    case Trigger = 'trigger';
    case Files = 'files';
}
