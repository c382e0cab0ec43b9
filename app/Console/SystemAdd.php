<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;
use Lighterman\Connectors\Kinds\Connectors;

final class SystemAdd extends Told
{
    protected $description = 'Adds a system; its secret, where it has one, is asked for, or read from standard input';

    public function __construct()
    {
        $options = [];
        foreach (Connectors::all() as $connector) {
            foreach ($connector->form()->settings() as $field) {
                $options[$field->name]['of'][] = $connector->kind();
                $options[$field->name]['says'][$field->label.($field->limits->choices === [] ? '' : ': '.implode(', ', array_keys($field->limits->choices)))] = true;
            }
        }
        $kinds = implode(', ', array_keys(Connectors::all()));
        $this->signature = "system:add {name} {--kind=postgres : one of {$kinds}} ".implode(' ', array_map(static fn (string $name, array $o): string => "{--{$name}= : ".implode(' or ', array_keys($o['says'])).'; of '.implode(', ', $o['of']).'}', array_keys($options), $options)).' {--json}';
        parent::__construct();
    }

    public function handle(): int
    {
        $connector = Connectors::all()[(string) $this->option('kind')] ?? null;
        if ($connector === null) {
            return $this->refuse('--kind is one of '.implode(', ', array_keys(Connectors::all())).'.');
        }
        $form = $connector->form();
        $secret = $form->secret() === null ? '' : (stream_isatty(STDIN) ? (string) $this->secret($form->secret()->label) : rtrim((string) fgets(STDIN), "\r\n"));
        $faults = $form->faults($this->options());
        if ($faults !== []) {
            return $this->refuse('--'.array_key_first($faults).': '.array_values($faults)[0]);
        }
        $system = SystemBook::add((string) $this->argument('name'), $form->read($this->options()), $secret, $connector->kind());

        $this->asJson() ? $this->json(['system' => $system->name]) : $this->line("Added {$system->name}.");

        return self::SUCCESS;
    }
}
