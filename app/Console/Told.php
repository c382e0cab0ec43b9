<?php

declare(strict_types=1);

namespace App\Console;

use App\Support\Way;
use Illuminate\Console\Command;
use Lighterman\Core\Trouble\Explained;
use Symfony\Component\Console\Input\InputInterface;
use Symfony\Component\Console\Output\OutputInterface;

/** A command that answers in a table or, with --json, as JSON; the exit code is 0 only if it worked. */
abstract class Told extends Command
{
    protected function execute(InputInterface $input, OutputInterface $output): int
    {
        try {
            return parent::execute($input, $output);
        } catch (Explained $trouble) {
            if ($this->asJson()) {
                $this->json(['error' => $trouble->getMessage(), 'remedy' => $trouble->remedy()->said, 'command' => Way::command($trouble->remedy())]);
            } else {
                $this->error($trouble->getMessage());
                $this->line(Way::said($trouble->remedy()));
            }

            return self::FAILURE;
        }
    }

    protected function asJson(): bool
    {
        return $this->hasOption('json') && $this->option('json') === true;
    }

    protected function json(mixed $data): void
    {
        $this->output->writeln(json_encode($data, JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_THROW_ON_ERROR), OutputInterface::OUTPUT_RAW);
    }

    /** @param  list<array<string, mixed>>  $rows */
    protected function rows(array $rows, string $whenEmpty): int
    {
        if ($this->asJson()) {
            $this->json($rows);
        } elseif ($rows === []) {
            $this->line($whenEmpty);
        } else {
            $this->table(array_keys($rows[0]), $rows);
        }

        return self::SUCCESS;
    }

    /** @param  list<array<string, mixed>>  $findings */
    protected function findings(array $findings): void
    {
        foreach ($findings as $f) {
            $this->line(str_pad((string) $f['result'], 8)."{$f['subject']}: {$f['said']}".($f['remedy'] ? "\n        {$f['remedy']}" : ''));
        }
    }

    protected function refuse(string $said): int
    {
        $this->asJson() ? $this->json(['error' => $said]) : $this->error($said);

        return self::FAILURE;
    }
}
