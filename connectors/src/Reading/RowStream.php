<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Reading;

use Lighterman\Core\Trouble\SystemTrouble;

/** Rows of one query as a stream of bytes: lines in the text form of COPY. */
interface RowStream
{
    /** The next bytes; an empty string at the end. */
    public function read(): string;

    /** @throws SystemTrouble if the reading ended with an error */
    public function finish(): void;

    public function close(): void;
}
