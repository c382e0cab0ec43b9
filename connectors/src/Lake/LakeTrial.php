<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Connectors\Scratch;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Trouble\SystemTrouble;

/** Tries whether records could be written to files of a lake. */
final readonly class LakeTrial
{
    public function __construct(private LakeSettings $settings)
    {
    }

    /** As TargetSystem::refuses() has it. */
    public function refuses(LandedTable $landed, string $encoded): ?SystemTrouble
    {
        $work = Scratch::own($this->settings->temporary, 'trial');
        mkdir($work, 0700, true);
        $engine = $this->settings->engine(further: [$work]);
        try {
            $stage = new Stage("{$work}/rows.txt", $landed->shape->columns);
            $stage->add($encoded);
            $engine->run("CREATE TEMP TABLE trial AS {$stage->select()}");
            if ($landed->as->writing->format !== FileFormat::Parquet) {
                $texts = implode(', ', array_map(static fn (Column $c): string => TypeMap::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), $landed->shape->columns));
                $writer = $landed->as->writing->writer($landed->shape, $landed->name->name, str_repeat("\0", 16));
                $writer->begin();
                foreach ($engine->query("SELECT {$texts} FROM trial") as $row) {
                    $writer->row(array_values($row));
                }
            }

            return null;
        } catch (EngineError|UnfitValue $e) {
            $trouble = Refusal::of($e, $landed);

            return $trouble->reason->concernsRecords() ? $trouble : throw $trouble;
        } finally {
            $engine->close();
            Scratch::remove($work);
        }
    }
}
