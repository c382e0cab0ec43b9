<?php

declare(strict_types=1);

namespace App\Support;

use App\Models\AuditEntry;
use Illuminate\Support\Facades\Auth;

/** Writes the audit trail. Call it inside the transaction that makes the change. */
final class Audit
{
    /**
     * @param  array<string, mixed>|null  $before
     * @param  array<string, mixed>|null  $after
     */
    public static function record(string $action, string $kind, string $subject, ?array $before = null, ?array $after = null): void
    {
        AuditEntry::create([
            'person' => self::person(), 'action' => $action, 'subject_kind' => $kind, 'subject' => mb_substr($subject, 0, 200),
            'before' => $before === null ? null : self::withoutSecrets($before), 'after' => $after === null ? null : self::withoutSecrets($after), 'at' => now(),
        ]);
    }

    /** Who is acting: the person signed in, or the command line's user. */
    public static function person(): string
    {
        return Auth::user()->name ?? 'command line';
    }

    /**
     * @param  array<string, mixed>  $values
     * @return array<string, mixed>
     */
    private static function withoutSecrets(array $values): array
    {
        foreach (['secret', 'password'] as $hidden) {
            if (array_key_exists($hidden, $values)) {
                $values[$hidden] = '(not shown)';
            }
        }

        return $values;
    }
}
