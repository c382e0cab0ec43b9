<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\DefinitionFile;
use App\Feeds\Draft;
use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Models\System;
use App\Runtime\Common\Systems;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Guarantee;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\MissingTrouble;

final class RouteLoad extends Told
{
    protected $signature = 'route:load {file : JSON or YAML; - reads standard input} {--dry-run : say what would be made, make nothing} {--json}';

    protected $description = 'Makes feeds from a definition file, all or none, and starts them';

    public function handle(Systems $systems): int
    {
        $path = (string) $this->argument('file');
        if ($path !== '-' && ! is_readable($path)) {
            throw MissingTrouble::file($path, "The file {$path} cannot be read.", 'Check the path and the permissions.');
        }
        $file = DefinitionFile::parse((string) file_get_contents($path === '-' ? 'php://stdin' : $path));
        $source = SystemBook::named($file->source);
        $target = SystemBook::named($file->target);
        $reader = $systems->source($source);
        $writer = $systems->target($target);

        $definitions = $told = $wrong = [];
        foreach ($file->feeds as $said) {
            try {
                [$definition, $facts] = Draft::make($reader, $source->name, $said);
                $preparation = $writer->prepare($definition->landedTable());
                $obstacles = [...$preparation->obstacles(), ...$this->obstacles($systems, $source, $target, $definition)];
            } catch (Explained $trouble) {
                $wrong[] = [$trouble->getMessage(), (string) $trouble->remedy()];

                continue;
            }
            foreach ($obstacles as $obstacle) {
                $wrong[] = ["{$definition->name}: {$obstacle->said}", (string) $obstacle->remedy];
            }
            $definitions[] = $definition;
            $told[] = ['feed' => $definition->name, 'capture' => $definition->origin->capture->value.($definition->origin->watermarkColumn() ? " ({$definition->origin->watermarkColumn()})" : ''), 'key' => implode(', ', $definition->origin->key), 'landing' => $definition->destination->landing->value, 'landed' => (string) $definition->destination->table]
                + ($this->asJson() ? ['statements' => $preparation->statements, 'guarantee' => Guarantee::derive($definition, $reader->capabilities(), $writer->capabilities(), $facts)->toArray()] : []);
        }
        if ($wrong !== []) {
            throw InvalidDefinition::several($wrong);
        }
        if ($this->option('dry-run') !== true) {
            FeedBook::create($source, $target, $definitions);
        }

        return $this->rows($told, '');
    }

    /** @return list<Finding> what keeps the changes of a feed's table from being recorded */
    private function obstacles(Systems $systems, System $source, System $target, FeedDefinition $definition): array
    {
        return ! $definition->kind()->bringsChanges() ? []
            : array_values(array_filter($systems->logBetween($source, $target, $definition->origin->capture)->check([$definition->origin->table]), static fn (Finding $f): bool => $f->result === 'failed'));
    }
}
