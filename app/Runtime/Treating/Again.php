<?php

declare(strict_types=1);

namespace App\Runtime\Treating;

use App\Models\SetAside;
use App\Runtime\Work\Lease;
use App\Runtime\Work\Leases;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Apart;

/** Some of the records of a feed that were set aside and asked to be sent again, in the order in which they were set aside. */
final readonly class Again
{
    private const AT_ONCE = 2000;

    private function __construct(private int $records, private int $failed, private bool $landing)
    {
    }

    /**
     * @param  Lease  $lease  on the feed, or on its route: what is marked as sent belongs to a receipt that only its holder may give
     * @param  int  $sequence  of the receipt they will land with
     * @param  callable(SetAside, list<string|false|null>): (Apart|Unwritable|bool)  $take  takes one, as it was read, into what lands: why it fails again, or whether it will land
     * @return self|null null where none are asked for
     */
    public static function some(int $feedId, FeedDefinition $definition, Bounds $bounds, Lease $lease, int $sequence, callable $take): ?self
    {
        return DB::transaction(static function () use ($feedId, $definition, $bounds, $lease, $sequence, $take): ?self {
            Leases::demand($lease);

            return self::marked($feedId, $definition, $bounds, $sequence, $take);
        });
    }

    /** @param  callable(SetAside, list<string|false|null>): (Apart|Unwritable|bool)  $take */
    private static function marked(int $feedId, FeedDefinition $definition, Bounds $bounds, int $sequence, callable $take): ?self
    {
        $records = SetAside::where('feed_id', $feedId)->where('kind', '<>', SetAside::FILE)->where('state', 'asked')->whereNull('overtaken_by')->orderBy('id')->limit(self::AT_ONCE)->get();
        $columns = $definition->treated()->names();
        $failed = $unfit = 0;
        foreach ($records as $record) {
            $whole = $record->whole();
            $raw = array_map(static fn (string $c): string|false|null => $whole[$c] ?? null, $columns);
            $unwritable = $bounds->fault($raw);
            $faults = $unwritable === null ? $definition->origin->files?->mended($definition->treated(), $raw) ?? [] : [];
            if ($unwritable !== null || $faults !== []) {
                $unfit++;
                $record->failAgain($unwritable->reason ?? 'wrong_type', $unwritable->message ?? implode('; ', $faults).'.');

                continue;
            }
            $came = $take($record, $raw);
            if ($came instanceof Unwritable) {
                $unfit++;
                $record->failAgain($came->reason, $came->message);

                continue;
            }
            $failed += (int) ($came instanceof Apart);
            $record->settle($came === true, is_bool($came) ? null : $came, $sequence);
        }

        return $records->isEmpty() ? null : new self($records->count(), $failed + $unfit, $records->count() > $unfit);
    }

    /** Whether anything of it has to be committed. */
    public function lands(): bool
    {
        return $this->landing;
    }

    public function said(): string
    {
        return "{$this->records} records set aside before were sent again".($this->failed === 0 ? '.' : ", {$this->failed} failed again.");
    }
}
