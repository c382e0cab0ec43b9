#!/usr/bin/env php
<?php

declare(strict_types=1);

/*
 * Plays the outside laboratory that leaves its findings in a folder.
 *
 *   laboratory.php FOLDER            leaves the findings of the last fourteen days, where they are not there yet
 *   laboratory.php FOLDER --every=60 goes on and leaves another file of yeast counts every so many seconds
 *
 * Must analyses are text with semicolons, decimal commas and the day first, in Windows-1252, one file a day; a few of their
 * lines are wrong, as typed ones are. Yeast counts are JSON Lines.
 */

const DAYS = 14;
const VARIETIES = ['Brimley Russet', 'Ashmead Dabinett', 'Tarn Bittersweet', 'Weir Perry', 'Côte Rousse', 'Old Foxglove'];

$folder = rtrim($argv[1] ?? '', '/');
if ($folder === '' || str_starts_with($folder, '--')) {
    fwrite(STDERR, "laboratory: name the folder to leave files in.\n");
    exit(1);
}
$every = (int) (preg_match('/^--every=(\d+)$/', $argv[2] ?? '', $m) ? $m[1] : 0);

/** A file appears whole: it is written beside, under a hidden name, and then given its own. */
function leave(string $path, string $contents, int $written): void
{
    is_dir(dirname($path)) || mkdir(dirname($path), 0777, true);
    $beside = dirname($path).'/.'.basename($path);
    file_put_contents($beside, $contents);
    touch($beside, $written);
    rename($beside, $path);
}

function decimal(float $value, int $places): string
{
    return number_format($value, $places, ',', '');
}

/** @return string the must analyses of a day */
function must(int $day): string
{
    mt_srand((int) date('Ymd', $day));
    $lines = ['sample;taken_on;grower;variety;sugar_oe;acid_g_l;ph;remark'];
    for ($n = 1, $of = mt_rand(24, 40); $n <= $of; $n++) {
        $line = [sprintf('M%s-%03d', date('ymd', $day), $n), date('d.m.Y', $day), (string) mt_rand(1, 1200), VARIETIES[mt_rand(0, 5)], decimal(mt_rand(380, 680) / 10, 1), decimal(mt_rand(22, 96) / 10, 1), decimal(mt_rand(305, 410) / 100, 2), ['', '', '', 'cloudy', 'second pressing; kept cold', 'très trouble'][mt_rand(0, 5)]];
        $line[7] = str_contains($line[7], ';') ? "\"{$line[7]}\"" : $line[7];
        // The refractometer was down, or somebody forgot a field.
        if (date('j', $day) % 5 === 0 && $n === 7) {
            $line[4] = 'n. b.';
        } elseif (date('j', $day) % 7 === 0 && $n === 12) {
            unset($line[6]);
        }
        $lines[] = implode(';', $line);
    }

    return mb_convert_encoding(implode("\r\n", $lines)."\r\n", 'Windows-1252', 'UTF-8');
}

/** @return string yeast counts taken at a time */
function yeast(int $time): string
{
    mt_srand($time);
    $lines = '';
    for ($n = 1; $n <= 12; $n++) {
        $lines .= json_encode([
            'test' => date('ymdHis', $time).sprintf('%02d', $n), 'tank' => 'T'.mt_rand(1, 18), 'taken_at' => gmdate('Y-m-d\TH:i:s\Z', $time - mt_rand(600, 7200)),
            'cells_per_ml' => mt_rand(100, 9000) * 1000, 'viable' => round(mt_rand(700, 999) / 1000, 3), 'infected' => mt_rand(0, 20) === 0, 'strains' => [['name' => 'Aldermoor 3', 'share' => round(mt_rand(500, 950) / 1000, 2)]],
        ], JSON_THROW_ON_ERROR | JSON_UNESCAPED_SLASHES)."\n";
    }

    return $lines;
}

$today = strtotime('today', time());
for ($ago = DAYS; $ago >= 1; $ago--) {
    $day = $today - $ago * 86_400;
    $path = "{$folder}/must/must-".date('Y-m-d', $day).'.csv';
    is_file($path) || leave($path, must($day), $day + 64_800);
    $path = "{$folder}/yeast/yeast-".date('Ymd', $day).'T1700.jsonl';
    is_file($path) || leave($path, yeast($day + 61_200), $day + 61_500);
}
while ($every > 0) {
    sleep($every);
    $now = time();
    leave("{$folder}/yeast/yeast-".date('Ymd\THis', $now).'.jsonl', yeast($now), $now);
}
