<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\Positions;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Record\Receipt;

/** What one feed has landed in a lake, as it stands after one commit: its position, its tables and the files they consist of. */
final readonly class Page
{
    /** Seconds for which a file that no longer belongs to a table may still be read. */
    public const GRACE = 900;

    /**
     * @param  int  $token  fencing token of whoever carries the feed
     * @param  int  $sequence  number of the last receipt
     * @param  array<string, LandedFiles>  $tables  by name
     * @param  array<string, int>  $retired  files that no longer belong to a table, and since when, Unix time
     * @param  list<Receipt>  $receipts  the latest
     * @param  array<string, self>  $given  what it had landed in tables that other feeds have taken over, by name
     */
    public function __construct(public string $feed, public int $token, public int $sequence, public Position $position, public array $tables, public array $retired, public array $receipts, public array $given = [])
    {
    }

    public static function first(string $feed, int $token): self
    {
        return new self($feed, $token, 0, new StartPosition, [], [], []);
    }

    /** What names of files of one delivery of a feed begin with; no other delivery has it. */
    public static function prefix(string $feed, int $sequence, int $token): string
    {
        return substr(str_replace('-', '', $feed), 0, 8)."-{$sequence}-{$token}";
    }

    /** What names of files of the delivery that comes next begin with. */
    public function nextPrefix(): string
    {
        return self::prefix($this->feed, $this->sequence + 1, $this->token);
    }

    public function hasLanded(): bool
    {
        return $this->sequence > 0;
    }

    /** How many files its tables consist of. */
    public function files(): int
    {
        return array_sum(array_map(static fn (LandedFiles $t): int => count($t->files), $this->tables));
    }

    /** What names of files begin with that are joined by the page after this one; nothing else has it. */
    public function joinPrefix(int $number): string
    {
        return self::prefix($this->feed, $this->sequence, $this->token)."-j{$number}";
    }

    /** The page that follows when the feed is taken by the holder of a token. */
    public function claimed(int $token, int $now): self
    {
        return new self($this->feed, $token, $this->sequence, $this->position, $this->tables, $this->stillRead($now), $this->receipts, $this->given);
    }

    /**
     * The page that follows when something has landed.
     *
     * @param  array<string, LandedFiles>  $tables
     * @param  int  $receipts  that are kept
     */
    public function landed(Receipt $receipt, array $tables, int $now, int $receipts): self
    {
        return new self($this->feed, $this->token, $receipt->sequence, $receipt->to, $tables, $this->retiring($tables, $now), array_slice([...$this->receipts, $receipt], -$receipts), $this->given);
    }

    /**
     * The page that follows when files were joined, and nothing has landed.
     *
     * @param  array<string, LandedFiles>  $tables
     */
    public function joined(array $tables, int $now): self
    {
        return new self($this->feed, $this->token, $this->sequence, $this->position, $tables, $this->retiring($tables, $now), $this->receipts, $this->given);
    }

    /**
     * @param  array<string, LandedFiles>  $tables  that count from now on
     * @return array<string, int>
     */
    private function retiring(array $tables, int $now): array
    {
        $names = static fn (array $tables): array => array_merge([], ...array_values(array_map(static fn (LandedFiles $t): array => $t->names(), $tables)));

        return $this->stillRead($now) + array_fill_keys(array_keys(array_diff_key($names($this->tables), $names($tables))), $now);
    }

    /** @return array<string, int> retired files that somebody may be reading yet */
    private function stillRead(int $now): array
    {
        return array_filter($this->retired, static fn (int $since): bool => $since > $now - self::GRACE);
    }

    /**
     * The same with other tables: what a new shape, or a new table, is.
     *
     * @param  array<string, LandedFiles>  $tables
     */
    public function having(array $tables): self
    {
        return new self($this->feed, $this->token, $this->sequence, $this->position, $tables, $this->retired, $this->receipts, $this->given);
    }

    /** The same with a table, and its files, that another feed had landed. */
    public function taking(self $given): self
    {
        return new self($this->feed, $this->token, $this->sequence, $this->position, $given->tables + $this->tables, $given->retired + $this->retired, $this->receipts, $this->given);
    }

    /** The same without a table that another feed has taken over, for a holder of the next token. */
    public function giving(string $table): self
    {
        $of = array_filter($this->retired, static fn (string $name): bool => str_starts_with($name, str_replace('.', '/', $table).'/'), ARRAY_FILTER_USE_KEY);
        $given = new self($this->feed, $this->token, 0, new StartPosition, array_intersect_key($this->tables, [$table => true]), $of, []);

        return new self($this->feed, $this->token + 1, $this->sequence, $this->position, array_diff_key($this->tables, [$table => true]), array_diff_key($this->retired, $of), $this->receipts, [$table => $given] + $this->given);
    }

    /** @return array<string, true> files that must stay */
    public function kept(): array
    {
        $names = array_fill_keys(array_keys($this->retired), true);
        foreach ($this->tables as $table) {
            $names += $table->names();
        }

        return $names;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return [
            'feed' => $this->feed, 'token' => $this->token, 'sequence' => $this->sequence, 'position' => $this->position->toArray(),
            'tables' => array_map(static fn (LandedFiles $t): array => $t->toArray(), $this->tables), 'retired' => $this->retired,
            'receipts' => array_map(static fn (Receipt $r): array => $r->toArray(), $this->receipts),
        ] + ($this->given === [] ? [] : ['given' => array_map(static fn (self $p): array => $p->toArray(), $this->given)]);
    }

    /** @param  array<string, mixed>  $data  as toArray() gives it */
    public static function fromArray(array $data): self
    {
        return new self($data['feed'], $data['token'], $data['sequence'], Positions::fromArray($data['position']),
            array_map(LandedFiles::fromArray(...), $data['tables']), $data['retired'],
            array_map(static fn (array $r): Receipt => Receipt::fromArray($data['feed'], $r), array_values($data['receipts'])), array_map(self::fromArray(...), $data['given'] ?? []));
    }
}
