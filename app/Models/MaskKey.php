<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Support\Carbon;
use Illuminate\Support\Facades\DB;

/**
 * The secret of keyed hashes. One is made when its name is first used, and it never changes.
 *
 * @property string $name
 * @property string $secret
 * @property Carbon $created_at
 */
final class MaskKey extends Record
{
    public const UPDATED_AT = null;

    public $incrementing = false;

    protected $primaryKey = 'name';

    protected $keyType = 'string';

    protected $casts = ['secret' => 'encrypted'];

    protected $hidden = ['secret'];

    /** 32 bytes. */
    public static function secretOf(string $name): string
    {
        $key = self::find($name);
        if ($key === null) {
            // Two workers may both be first; what one of them wrote counts.
            DB::table('mask_keys')->insertOrIgnore(['name' => $name, 'secret' => encrypt(base64_encode(random_bytes(32)), false), 'created_at' => now()]);
            $key = self::findOrFail($name);
        }

        return (string) base64_decode($key->secret, true);
    }
}
