<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\DefinitionFile;
use App\Feeds\Draft;
use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Runtime\Systems;
use Lighterman\Core\Guarantee\Guarantee;
use Lighterman\Core\Port\SystemTrouble;

final class RouteLoad extends Told
{
    protected $signature = 'route:load {file : JSON or YAML; - reads standard input} {--dry-run : say what would be made, make nothing} {--json}';

    protected $description = 'Makes feeds from a definition file, all or none, and starts them';

    public function handle(Systems $systems): int
    {
        $path = (string) $this->argument('file');
        if ($path !== '-' && ! is_readable($path)) {
            throw SystemTrouble::lasting('no_file', "The file {$path} cannot be read.", 'Check the path and the permissions.');
        }
        $file = DefinitionFile::parse((string) file_get_contents($path === '-' ? 'php://stdin' : $path));
        $source = SystemBook::named($file->source);
        $target = SystemBook::named($file->target);
        $reader = $systems->source($source);
        $writer = $systems->target($target);

        $definitions = $told = [];
        foreach ($file->feeds as $said) {
            [$definition, $facts] = Draft::make($reader, $source->name, $said);
            $preparation = $writer->prepare($definition->landedTable());
            foreach ($preparation->obstacles() as $obstacle) {
                throw SystemTrouble::lasting('incompatible_table', "{$definition->name}: {$obstacle->said}", (string) $obstacle->remedy);
            }
            $definitions[] = $definition;
            $told[] = ['feed' => $definition->name, 'capture' => $definition->capture->value.($definition->watermark ? " ({$definition->watermark})" : ''), 'key' => implode(', ', $definition->key), 'landing' => $definition->landing->value, 'landed' => (string) $definition->landed]
                + ($this->asJson() ? ['statements' => $preparation->statements, 'guarantee' => Guarantee::derive($definition, $reader->capabilities(), $writer->capabilities(), $facts)->toArray()] : []);
        }
        if ($this->option('dry-run') !== true) {
            FeedBook::create($source, $target, $definitions);
        }

        return $this->rows($told, '');
    }
}
