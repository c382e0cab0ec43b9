<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Treatment\Value\Fault;

/** Whether a change says what a column is computed from; a value that the source did not send is false. */
final class Sent
{
    /**
     * @param  list<string|false|null>  $row
     * @param  list<int>  $needed
     * @return bool false if it says none of it, so that the result has not changed either
     *
     * @throws Fault if it says only some of it
     */
    public static function all(array $row, array $needed): bool
    {
        $sent = 0;
        foreach ($needed as $at) {
            $sent += (int) ($row[$at] !== false);
        }
        if ($sent !== 0 && $sent !== count($needed)) {
            throw Fault::because('not_sent', 'the log does not say all values this is computed from, since some had not changed (REPLICA IDENTITY FULL makes it say them)');
        }

        return $sent !== 0 || $needed === [];
    }

    /**
     * @param  list<string|false|null>  $row
     * @param  bool  $whole  whether every value has to be known, since the row may go to another table
     *
     * @throws Fault
     */
    public static function demandReadable(array $row, bool $whole): void
    {
        if ($whole && in_array(false, $row, true)) {
            throw Fault::because('not_sent', 'the log does not say every value of a row that may go to another table, since some had not changed (REPLICA IDENTITY FULL makes it say them)');
        }
        foreach ($row as $value) {
            if (is_string($value) && ! mb_check_encoding($value, 'UTF-8')) {
                throw Fault::because('invalid_utf8', 'a value is not valid UTF-8');
            }
        }
    }
}
