<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** What comes to be landed. */
enum Arriving
{
    /** Rows that a query found, a key at most once in a unit. */
    case Rows;

    /** Rows of which a key may come several times in one unit, so that the last counts. */
    case RepeatedRows;

    case Changes;
}
