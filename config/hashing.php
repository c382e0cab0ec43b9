<?php

declare(strict_types=1);

return [
    // Takes a password of any length whole. https://cheatsheetseries.owasp.org/cheatsheets/Password_Storage_Cheat_Sheet.html
    'driver' => 'argon2id',
    // Hashes of the kind that was used before are still taken, and made anew at the next sign-in.
    'argon' => ['memory' => 19_456, 'time' => 2, 'threads' => 1, 'verify' => false],
    'rehash_on_login' => true,
];
