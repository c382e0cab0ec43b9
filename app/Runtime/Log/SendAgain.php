<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use App\Models\SetAside;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\ChangeLog;

/**
 * Lands records of one feed that were set aside, each at the place it had in the source's log, so that versions and
 * journal have it where it belongs. Where rows are kept by key, a record that a newer change has overtaken is not among them.
 */
final class SendAgain
{
    private const AT_ONCE = 2000;

    /** @var callable(callable(): mixed): mixed */
    private $atTarget;

    /** @param  callable(callable(): mixed): mixed  $atTarget  turns the target's trouble into the feed's or the route's */
    public function __construct(private readonly Carrier $carrier, private readonly Carriers $carriers, private readonly ChangeLog $changeLog, private readonly ChangeLanding $landing, private readonly LogRecorder $recorder, callable $atTarget)
    {
        $this->atTarget = $atTarget;
    }

    public function some(): void
    {
        $carrier = $this->carrier;
        $records = SetAside::where('feed_id', $carrier->id)->where('state', 'asked')->whereNull('overtaken_by')->orderBy('id')->limit(self::AT_ONCE)->get();
        if ($records->isEmpty()) {
            $carrier->again = false;

            return;
        }
        $failed = 0;
        foreach ($records as $record) {
            $whole = $record->whole();
            $raw = array_map(static fn (string $c): string|false|null => $whole[$c] ?? null, $carrier->definition->carried()->names());
            $unwritable = $carrier->bounds->fault($raw);
            if ($unwritable !== null) {
                $failed++;
                $record->failAgain($unwritable->reason, $unwritable->message);

                continue;
            }
            $came = $carrier->again($raw, $record->kind === 'row' ? 'load' : $record->kind, new SourceCommit((int) $record->lsn, (int) $record->made_at), $record->number);
            $failed += (int) ($came !== true);
            $record->settle($came === true, is_bool($came) ? null : $came, $carrier->sequence());
        }
        ($this->atTarget)(fn () => $this->landing->begin());
        $this->carriers->apply($carrier, $this->changeLog, $this->landing, $this->atTarget);
        $receipts = ($this->atTarget)(fn () => $this->landing->commit([$carrier->uid => $carrier->position], null, [$carrier->uid => $this->recorder->run($carrier)], null, [$carrier->uid => $carrier->kept()]));
        $this->carriers->landedAs($carrier, $receipts[$carrier->uid]->sequence);
        $this->recorder->landed($carrier, $receipts[$carrier->uid]);
        $this->recorder->say($carrier, "{$records->count()} records set aside before were sent again".($failed === 0 ? '.' : ", {$failed} failed again."));
        $this->recorder->flush();
    }
}
