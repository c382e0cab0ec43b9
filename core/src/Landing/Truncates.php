<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** What happens when the source table is emptied at once. */
enum Truncates: string
{
    case Carry = 'carry';
    case Hold = 'hold';
}
