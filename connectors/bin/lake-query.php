<?php

declare(strict_types=1);

// Takes a query on standard input, answers it on standard output, and ends. See LakeQuery.

use Lighterman\Connectors\Lake\LakeQuery;
use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Core\Trouble\SystemTrouble;

require __DIR__.'/../../vendor/autoload.php';

$asked = json_decode((string) stream_get_contents(STDIN), true, 8, JSON_THROW_ON_ERROR);
try {
    $answer = (new LakeQuery(LakeSettings::fromArray($asked['settings'])))->answer($asked['sql'], $asked['limit'], $asked['work']);
} catch (SystemTrouble $trouble) {
    $answer = ['error' => $trouble->getMessage(), 'remedy' => (string) $trouble->remedy()];
}
fwrite(STDOUT, json_encode($answer, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_INVALID_UTF8_SUBSTITUTE));
