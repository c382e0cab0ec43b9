<?php

declare(strict_types=1);

return [
    // The framework's own disk; nothing of it is served.
    'disks' => ['local' => ['driver' => 'local', 'root' => storage_path('app/private'), 'serve' => false]],
];
