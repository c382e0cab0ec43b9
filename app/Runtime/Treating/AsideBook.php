<?php

declare(strict_types=1);

namespace App\Runtime\Treating;

use App\Models\SetAside;
use App\Runtime\Work\Lease;
use App\Runtime\Work\Leases;
use Illuminate\Support\Facades\Crypt;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Carrying\ApartPlace;
use Lighterman\Core\Carrying\Aside;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Record\Unreadable;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Treatment\Judging;

/**
 * Writes down the records of one feed that are set aside.
 *
 * They are written before the target commits the batch they belong to, under the number its receipt will have, and count
 * only once that receipt has landed. What a crash leaves behind of a batch that never landed is removed when the feed is
 * next begun, so that nothing is lost and nothing is there twice.
 */
final class AsideBook implements Aside
{
    private const AT_ONCE = 200;

    /** @var list<array<string, mixed>> */
    private array $lines = [];

    /** @var list<string> */
    private readonly array $columns;

    /** @var array<string, true> hashes of the keys of records that wait, which a newer version of the row overtakes */
    private array $waiting = [];

    public function __construct(private readonly int $feedId, private readonly int $definitionId, private readonly FeedDefinition $definition, private readonly ?Lease $lease = null)
    {
        $this->columns = $definition->treated()->names();
    }

    public function begin(int $landed): void
    {
        $this->lines = [];
        $this->held(function () use ($landed): void {
            DB::table('set_aside')->where('feed_id', $this->feedId)->where('sequence', '>', $landed)->delete();
            DB::table('set_aside')->where('feed_id', $this->feedId)->where('overtaken_by', '>', $landed)->update(['overtaken_by' => null]);
            DB::table('set_aside')->where('feed_id', $this->feedId)->where('sent_by', '>', $landed)->update(['state' => 'asked', 'sent_by' => null, 'settled_at' => null]);
        });
        $this->waiting = $this->definition->origin->key === [] ? [] : array_fill_keys(DB::table('set_aside')->where('feed_id', $this->feedId)->whereIn('state', ['waiting', 'asked'])->whereNull('overtaken_by')->pluck('key_hash')->all(), true);
    }

    public function anyWaiting(): bool
    {
        return $this->waiting !== [];
    }

    public function add(Apart $apart, ApartPlace $from): void
    {
        $failure = $apart->judging->decisive();
        $this->write($apart->row, $from, $failure->step ?? '', $failure->reason ?? 'unknown', $failure->message ?? '', $apart->judging->atFailure());
    }

    public function addUnwritable(array $row, Unwritable $why, ApartPlace $from): void
    {
        $this->write($why->kept($this->columns, $row), $from, Unwritable::STEP, $why->reason, $why->message);
    }

    public function addUnreadable(Unreadable $unreadable, array $carried, int $run, int $sequence): void
    {
        $row = array_combine($carried, $unreadable->row);
        $whole = $unreadable->number === 0;
        $from = new ApartPlace($run, $sequence, $unreadable->file, $unreadable->number, $whole ? SetAside::FILE : 'line');
        $this->write(array_map(static fn (string $c): ?string => $row[$c] ?? null, $this->columns), $from, $whole ? 'reading the file' : 'reading the line', $unreadable->reason, $unreadable->message(), text: $unreadable->text);
    }

    public function taken(array $files, int $sequence): void
    {
        if ($files !== []) {
            $waiting = fn (string $state) => DB::table('set_aside')->where('feed_id', $this->feedId)->where('kind', SetAside::FILE)->whereIn('position', array_map(static fn (FileMark $f): string => $f->path, $files))->where('sequence', '<', $sequence)->whereNull('overtaken_by')->where('state', $state);
            $this->held(static function () use ($waiting, $sequence): void {
                $waiting('asked')->update(['state' => 'sent', 'sent_by' => $sequence, 'settled_at' => now()]);
                $waiting('waiting')->update(['overtaken_by' => $sequence]);
            });
        }
    }

    /**
     * @param  list<string|false|null>  $row  in the order of the treated columns
     * @param  array<string, string|null>  $atStep  values that the step saw
     * @param  string  $text  as it stands in the file, where the row does not say everything
     */
    private function write(array $row, ApartPlace $from, string $step, string $reason, string $message, array $atStep = [], string $text = ''): void
    {
        $whole = array_combine($this->columns, $row);
        $hidden = array_map(fn (string $c, string|false|null $v): string|false|null => is_string($v) && $this->definition->treatment->hides($c) ? Judging::HIDDEN : $v, $this->columns, $row);
        $record = array_combine($this->columns, $hidden);
        $this->lines[] = [
            'feed_id' => $this->feedId, 'definition_id' => $this->definitionId, 'run_id' => $from->run, 'sequence' => $from->sequence, 'position' => $from->position,
            'number' => $from->number, 'kind' => $from->kind, 'made_at' => $from->at,
            'step' => mb_substr(self::clean($step), 0, 300), 'reason' => $reason, 'message' => self::clean($message),
            'key' => self::clean(implode(', ', array_map(static fn (string $k): string => "{$k} = ".($record[$k] === null || $record[$k] === false ? 'null' : $record[$k]), $this->definition->origin->key))),
            'key_hash' => $this->hash($row), 'record' => KeptRecord::json($record), 'sealed' => Crypt::encryptString(json_encode($whole + ($text === '' ? [] : [SetAside::TEXT => $text]), JSON_THROW_ON_ERROR | JSON_INVALID_UTF8_SUBSTITUTE)),
            'at_step' => KeptRecord::json($atStep), 'at' => now(),
        ];
        if ($this->definition->origin->key !== [] && $from->kind !== SetAside::FILE) {
            $this->waiting[$this->hash($row)] = true;
        }
        if (count($this->lines) >= self::AT_ONCE) {
            $this->flush();
        }
    }

    public function flush(): void
    {
        if ($this->lines !== []) {
            $this->held(fn () => DB::table('set_aside')->insert($this->lines));
            $this->lines = [];
        }
    }

    /**
     * What is written down belongs to a receipt to come, whose number somebody else may give once the lease is lost.
     *
     * @param  callable(): mixed  $do
     *
     * @throws LeaseLost
     */
    private function held(callable $do): void
    {
        DB::transaction(function () use ($do): void {
            $this->lease === null || Leases::demand($this->lease);
            $do();
        });
    }

    public function overtake(array $hashes, int $sequence): void
    {
        if ($hashes !== []) {
            $this->flush();
            $this->held(fn () => DB::table('set_aside')->where('feed_id', $this->feedId)->whereIn('key_hash', $hashes)->whereIn('state', ['waiting', 'asked'])->whereNull('overtaken_by')->update(['overtaken_by' => $sequence]));
            foreach ($hashes as $hash) {
                unset($this->waiting[$hash]);
            }
        }
    }

    public function lastOf(string $hash): array
    {
        $this->flush();
        $whole = SetAside::where('feed_id', $this->feedId)->where('key_hash', $hash)->whereIn('state', ['waiting', 'asked'])->whereNull('overtaken_by')->latest('id')->first()?->whole() ?? [];

        return array_map(static fn (string $c): string|false|null => array_key_exists($c, $whole) ? $whole[$c] : false, $this->columns);
    }

    public function overtakeAll(int $sequence): void
    {
        $this->held(fn () => DB::table('set_aside')->where('feed_id', $this->feedId)->where('sequence', '<', $sequence)->whereIn('state', ['waiting', 'asked'])->whereNull('overtaken_by')->update(['overtaken_by' => $sequence]));
    }

    public function isWaiting(string $hash): bool
    {
        return isset($this->waiting[$hash]);
    }

    public function hash(array $row): string
    {
        return self::hashed($this->definition->origin->key, $this->columns, $row);
    }

    /** @param  list<string|false|null>  $row  in the order of the treated columns */
    public static function keyHash(FeedDefinition $definition, array $row): string
    {
        return self::hashed($definition->origin->key, $definition->treated()->names(), $row);
    }

    /**
     * @param  list<string>  $key
     * @param  list<string>  $columns
     * @param  list<string|false|null>  $row
     */
    private static function hashed(array $key, array $columns, array $row): string
    {
        return hash('xxh128', implode("\0", array_map(static fn (string $k): string => (string) $row[(int) array_search($k, $columns, true)], $key)));
    }

    /** PostgreSQL takes neither zero bytes nor what is not UTF-8. */
    private static function clean(string $text): string
    {
        return str_replace("\0", '', mb_scrub($text, 'UTF-8'));
    }
}
