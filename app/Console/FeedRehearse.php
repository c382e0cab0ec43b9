<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\Rehearsal;
use App\Feeds\Samples;
use App\Feeds\TypedRecords;
use App\Runtime\Common\Systems;
use Lighterman\Core\Treatment\InvalidTreatment;

final class FeedRehearse extends FeedCommand
{
    protected $signature = 'feed:rehearse {name} {--sample=last : last, first or random rows} {--where= : only rows for which this expression holds} {--records= : a file with records as JSON, JSON Lines or delimited text; - for standard input} {--rows=10} {--json}';

    protected $description = 'Runs some records through a feed, writes nothing, and tells what would become of each';

    public function handle(Systems $systems): int
    {
        $feed = $this->feed()->load('route.source', 'route.target', 'definition');
        $rehearsal = new Rehearsal($feed, $feed->definition->parsed(), $systems);
        $most = max(1, min(Rehearsal::MOST, (int) $this->option('rows')));
        try {
            $rows = match (true) {
                $this->option('records') !== null => TypedRecords::parse($this->contents((string) $this->option('records')), $rehearsal->definition->carried()),
                $this->option('where') !== null => $rehearsal->where((string) $this->option('where'), $most),
                default => $rehearsal->sample(Samples::way((string) $this->option('sample')), $most),
            };
        } catch (InvalidTreatment $e) {
            return $this->refuse($e->getMessage());
        }
        $told = array_map($rehearsal->of(...), $rehearsal->records($rows));
        if ($this->asJson()) {
            $this->json($told);

            return self::SUCCESS;
        }
        foreach ($told as $n => $record) {
            $this->line(($n + 1).'. '.$record['outcome'].($record['forks'] !== [] && $record['table'] !== null ? " in {$record['table']}" : ''));
            foreach ($record['steps'] as $step) {
                $this->line("   {$step['column']} {$step['step']}: ".($step['before'] ?? 'null').' → '.($step['fault'] ?? $step['after'] ?? 'null'));
            }
            foreach ($record['failures'] as $failure) {
                $this->line("   {$failure['message']}");
            }
        }

        return self::SUCCESS;
    }

    private function contents(string $file): string
    {
        $text = @file_get_contents($file === '-' ? 'php://stdin' : $file);

        return $text === false ? throw InvalidTreatment::of("The file {$file} cannot be read.") : $text;
    }
}
