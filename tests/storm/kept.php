<?php

declare(strict_types=1);

use Tests\Storm\Story;

// Stories that once failed, each with what was wrong.
return (static function (): iterable {
    yield 'a quiet day' => [Story::of(['seed' => 0, 'tables' => [['name' => 't0', 'key' => 'int', 'columns' => ['c0' => 'text'], 'big' => true, 'full' => false]],
        'feeds' => [['name' => 'f0_0', 'table' => 0, 'capture' => 'log', 'landing' => 'upsert', 'deletes' => 'apply', 'target' => 'house', 'truncates' => 'hold']], 'steps' => [['act' => 'change', 'table' => 0, 'feed' => 0, 'n' => 7]]])];
})();
