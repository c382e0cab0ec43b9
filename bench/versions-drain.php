<?php

declare(strict_types=1);

/*
 * A million changes waiting in the log, landed with versions, every one kept, by a process of its own and with its start included; against
 * pg_recvlogical writing the same changes to nowhere.
 */

require __DIR__.'/Bench.php';
require __DIR__.'/Drain.php';

Drain::measure('versions-drain', 'versions');
