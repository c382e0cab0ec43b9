<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\MaskKey;
use App\Runtime\Common\Systems;
use App\Runtime\Treating\Treating;
use Illuminate\Http\Request;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Step\Derive;
use Lighterman\Core\Treatment\Step\Stamp;

/** What can be done to several lines of a sheet at once, or adds lines to it. */
final readonly class SheetAct
{
    public function __construct(private Systems $systems)
    {
    }

    /**
     * @return int|null the line to go on with
     *
     * @throws InvalidTreatment
     */
    public function do(string $act, Request $request, EditedSheet $sheet): ?int
    {
        $lines = $sheet->lines();
        $ticked = array_values(array_intersect(array_map(intval(...), (array) $request->input('lines', [])), array_keys($lines)));
        $text = static fn (string $name): string => trim((string) $request->input($name));
        $lines = match ($act) {
            'mask_found' => $this->maskFound($sheet, $lines, $ticked),
            'rename_pattern' => Renaming::byPattern($lines, $ticked, (string) $request->input('find'), (string) $request->input('put'), (string) $request->input('case')),
            'rename_list' => self::renamedByList($lines, (string) $request->input('list')),
            'derive' => [...$lines, new Line(null, $text('name'), [new Derive((string) $request->input('expression'))])],
            'stamp' => [...$lines, new Line(null, $text('name') ?: $text('what'), [new Stamp($text('what'))])],
            'flatten' => Flattening::lines($lines, $request->integer('line'), (string) $request->input('naming'), $request->boolean('rest'), $this->rows($sheet, Samples::way($request->input('sample'))), $sheet->carried),
            'up' => self::moved($lines, $request->integer('line'), -1),
            'down' => self::moved($lines, $request->integer('line'), 1),
            default => LineInput::bulk($lines, $ticked, $act, $request),
        };
        $sheet->keep($lines, reordered: in_array($act, ['up', 'down'], true));

        return $act === 'derive' ? count($lines) - 1 : null;
    }

    /** @return list<list<string|false|null>> */
    private function rows(EditedSheet $sheet, Sampling $which): array
    {
        return ColumnSheet::records($sheet, Samples::of($sheet->feed, $sheet->definition, $which, $this->systems), [], MaskKey::secretOf(...), Treating::table(...));
    }

    /**
     * @param  list<Line>  $lines
     * @param  list<int>  $only  lines to mask; all that were found where empty
     * @return list<Line>
     */
    private function maskFound(EditedSheet $sheet, array $lines, array $only): array
    {
        $found = ColumnSheet::of($sheet, Samples::of($sheet->feed, $sheet->definition, Sampling::last(), $this->systems), 0, [], MaskKey::secretOf(...), Treating::table(...))->unmasked();
        foreach ($found as $line) {
            $n = $line['number'];
            if ($only === [] || in_array($n, $only, true)) {
                $lines[$n] = new Line($lines[$n]->from, $lines[$n]->as, [...$lines[$n]->steps, $line['personal']['mask']]);
            }
        }

        return array_values($lines);
    }

    /**
     * @param  list<Line>  $lines
     * @return list<Line>
     */
    private static function renamedByList(array $lines, string $list): array
    {
        [$lines, $unknown] = Renaming::byList($lines, $list);
        if ($unknown !== []) {
            session()->flash('done', 'Renamed; no column is called '.implode(', ', array_slice($unknown, 0, 8)).(count($unknown) > 8 ? '…' : '').'.');
        }

        return $lines;
    }

    /**
     * @param  list<Line>  $lines
     * @return list<Line>
     */
    private static function moved(array $lines, int $at, int $by): array
    {
        if (isset($lines[$at], $lines[$at + $by])) {
            [$lines[$at], $lines[$at + $by]] = [$lines[$at + $by], $lines[$at]];
        }

        return array_values($lines);
    }
}
