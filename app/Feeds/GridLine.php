<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\System;
use App\Runtime\Common\Systems;
use Lighterman\Core\Capture\Advice;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\FileFacts;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Capture\Verdict;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Guarantee;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Trouble\Explained;

/** One line of the grid of new feeds: what was typed, what was found, and what would come of it. */
final class GridLine
{
    public ?FeedDefinition $definition = null;

    public ?Guarantee $guarantee = null;

    public ?Explained $trouble = null;

    public ?Shape $shape = null;

    /** @var list<string> why it was suggested so */
    public array $reasons = [];

    public ?Verdict $watermarkVerdict = null;

    public ?Verdict $keyVerdict = null;

    /** @var list<Capture> that the source offers */
    public array $captures = [];

    /** How its files are read, where it consists of such. */
    public ?FileFacts $files = null;

    /** @var list<Finding> what the reading of changes still needs for this table */
    public array $logFindings = [];

    /** @param  array<string, string>  $typed fields of the grid; those missing are filled with suggestions */
    private function __construct(public array $typed)
    {
    }

    /** @param  array<string, string>  $typed at least `table` */
    public static function of(array $typed, System $source, System $target, Systems $systems): self
    {
        $line = new self($typed);
        $reader = $systems->source($source);
        try {
            $capabilities = $systems->target($target)->capabilities();
            $line->captures = array_values(array_filter($reader->capabilities()->captures, static fn (Capture $c): bool => $capabilities->takesChanges || ! Kinds::of($c)->bringsChanges()));
            $key = self::list($typed['key'] ?? '');
            $table = Draft::table($reader, $typed['table']);
            $facts = $reader->facts($table, $key, $line->reading());
            $line->shape = $facts->shape;
            $line->files = $facts->files;
            $plain = Draft::plainName($table, $facts);
            $advice = new Advice($facts);
            $suggestion = $advice->suggestion();
            $line->reasons = $suggestion->reasons;
            $line->typed += [
                'capture' => $suggestion->capture->value, 'watermark' => (string) $suggestion->watermark, 'key' => implode(', ', $suggestion->key), 'landing' => $suggestion->landing->value,
                'landed' => Draft::schema($source->name).".{$plain->name}", 'name' => Draft::freeName($plain, $source->name), 'promise_minutes' => (string) Kinds::of($suggestion->capture)->promiseMinutes(), 'leave_out' => '', 'deletes' => 'apply',
            ];
            $line->keyVerdict = $advice->key();
            if ($line->typed['watermark'] !== '' && $line->goesByWatermark()) {
                $line->watermarkVerdict = $advice->watermark($line->typed['watermark']);
            }
            $capture = Capture::tryFrom($line->typed['capture']);
            if ($capture !== null && Kinds::of($capture)->bringsChanges() && in_array($capture, $line->captures, true)) {
                $line->logFindings = array_values(array_filter($systems->logBetween($source, $target, $capture)->check([$table]), static fn (Finding $f): bool => $f->result !== 'passed'));
            }
            [$line->definition] = Draft::make($reader, $source->name, $line->said());
            $line->guarantee = Guarantee::derive($line->definition, $reader->capabilities(), $capabilities, $facts);
        } catch (Explained $trouble) {
            $line->trouble = $trouble;
            $line->files ??= self::found($reader, $typed['table']);
        }

        return $line;
    }

    private function goesByWatermark(): bool
    {
        $capture = Capture::tryFrom($this->typed['capture']);

        return $capture !== null && Kinds::of($capture)->takesWatermark();
    }

    /** How files are read as far as it can be found out, so that what was typed amiss can be seen and corrected. */
    private static function found(SourceSystem $reader, string $table): ?FileFacts
    {
        try {
            return $reader->facts(Draft::table($reader, $table))->files;
        } catch (Explained) {
            return null;
        }
    }

    /**
     * The line in the words of a definition file.
     *
     * @return array<string, mixed>
     */
    private function said(): array
    {
        return [
            'table' => $this->typed['table'], 'name' => trim($this->typed['name']), 'capture' => $this->typed['capture'],
            'watermark' => $this->goesByWatermark() ? $this->typed['watermark'] : null, 'key' => self::list($this->typed['key']), 'landing' => $this->typed['landing'],
            'landed' => trim($this->typed['landed']), 'leave_out' => self::list($this->typed['leave_out'] ?? ''), 'deletes' => $this->typed['deletes'] ?? 'apply', 'partition_by' => self::list($this->typed['partition_by'] ?? ''), 'take_over' => ($this->typed['take_over'] ?? '') === '1',
            'files' => $this->reading(), 'write_as' => WritingInput::read($this->typed),
            'promise_seconds' => (int) round((float) $this->typed['promise_minutes'] * 60),
        ];
    }

    /**
     * What was typed of how its files are read, in the words of a definition file.
     *
     * @return array<string, mixed>
     */
    private function reading(): array
    {
        $said = array_filter(array_intersect_key($this->typed, array_flip(['format', 'delimiter', 'encoding', 'decimal', 'changed'])), static fn (string $v): bool => $v !== '');
        $said = isset($said['delimiter']) ? ['delimiter' => $said['delimiter'] === 'tab' ? "\t" : $said['delimiter']] + $said : $said;
        foreach (['header' => 'header', 'checksum' => 'checksum', 'fit' => 'fit'] as $field => $name) {
            $said += ($this->typed[$field] ?? '') === '' ? [] : [$name => $this->typed[$field] === 'yes'];
        }
        $said += ($this->typed['quote'] ?? '') === '' ? [] : ['quote' => $this->typed['quote'] === 'none' ? null : $this->typed['quote']];
        $said += ($this->typed['null_text'] ?? '') === '' ? [] : ['null' => $this->typed['null_text']];
        $said += ctype_digit($this->typed['quiet'] ?? '') ? ['quiet_seconds' => (int) $this->typed['quiet']] : [];
        $byColumn = array_map(fn (string $field): mixed => json_decode($this->typed[$field] ?? '', true), ['types' => 'types', 'dates' => 'dates']);

        return $said + array_filter($byColumn, static fn (mixed $chosen): bool => is_array($chosen) && $chosen !== []);
    }

    /** @return list<string> columns a watermark can stand on */
    public function candidates(): array
    {
        return array_values(array_map(static fn (Column $c): string => $c->name, array_filter($this->shape->columns ?? [], static fn (Column $c): bool => $c->type->kind->canBeWatermark())));
    }

    /** @return list<string> */
    private static function list(string $typed): array
    {
        return array_values(array_filter(array_map(trim(...), explode(',', $typed)), static fn (string $s): bool => $s !== ''));
    }
}
