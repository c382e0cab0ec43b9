<?php

declare(strict_types=1);

namespace App\Support;

use Illuminate\Support\Facades\DB;

/** Whether the audit trail is as it was written: every entry is sealed over the one before it. */
final readonly class AuditChain
{
    /**
     * @param  int  $entries  that are sealed
     * @param  string  $last  place and hash of the last one, which tell later whether any was taken from the end
     * @param  string|null  $wrong  what is wrong first; null where nothing is
     */
    private function __construct(public int $entries, public string $last, public ?string $wrong)
    {
    }

    /** @param  string|null  $known  place and hash of an entry that was the last one once */
    public static function verify(?string $known = null): self
    {
        $broken = DB::selectOne('SELECT id, place, follows, sealed FROM (SELECT e.id, e.place, e.place = 1 + lag(e.place, 1, 0) OVER w AS follows, e.hash = audit_hash(lag(e.hash) OVER w, e.place, e) AS sealed FROM audit_entries e WHERE e.place IS NOT NULL WINDOW w AS (ORDER BY e.place)) c WHERE NOT (follows AND sealed) ORDER BY place LIMIT 1');
        $loose = DB::table('audit_entries')->whereNull('hash')->min('id');
        $last = DB::table('audit_entries')->whereNotNull('place')->orderByDesc('place')->first(['place', 'hash']);

        return new self(DB::table('audit_entries')->whereNotNull('place')->count(), $last === null ? '0:' : "{$last->place}:{$last->hash}", match (true) {
            $broken !== null => $broken->follows ? "Entry {$broken->place} (number {$broken->id}), or the one before it, was altered after it had been written." : "Before entry {$broken->place} (number {$broken->id}) some were removed.",
            $loose !== null => "Entry number {$loose} was written past the chain.",
            $known !== null && ! self::stands($known) => "There is no entry {$known} any more: entries were removed from the end, or an older state was put back.",
            default => null,
        });
    }

    private static function stands(string $known): bool
    {
        [$place, $hash] = explode(':', $known, 2) + [1 => ''];

        return preg_match('/^\d{1,18}$/', $place) === 1 && ((int) $place === 0 || DB::table('audit_entries')->where('place', (int) $place)->where('hash', $hash)->exists());
    }
}
