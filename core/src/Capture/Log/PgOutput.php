<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Shape\TableName;

/**
 * Decodes the messages of PostgreSQL's `pgoutput` plug-in, protocol version 1, values as text.
 *
 * Keeps the descriptions of tables it has come across, so one decoder belongs to one reading of the log.
 *
 * @see https://www.postgresql.org/docs/15/protocol-logicalrep-message-formats.html
 */
final class PgOutput
{
    /** Microseconds between 1970 and PostgreSQL's epoch, 2000-01-01 UTC. */
    public const EPOCH = 946_684_800_000_000;

    /** @var array<string, Relation> by number, as the four bytes that it comes in */
    private array $relations = [];

    /**
     * @return Begin|Commit|Relation|LoggedRow|Truncated|Mark|null null for messages that bear on nothing here (types, origins)
     *
     * @throws BrokenLog
     */
    public function decode(string $message): Begin|Commit|Relation|LoggedRow|Truncated|Mark|null
    {
        // Rows are nearly all there is, so they come first.
        return match ($message[0] ?? '') {
            'U' => $this->update($message),
            'I' => new LoggedRow($this->relation($message, 1), 'insert', null, self::tuple($message, 6)[0]),
            'D' => $this->delete($message),
            'B' => self::begin($message),
            'C' => self::commit($message),
            'R' => $this->describe($message),
            'T' => $this->truncate($message),
            'M' => self::mark($message),
            'Y', 'O' => null,
            default => throw BrokenLog::unknown($message[0] ?? ''),
        };
    }

    private function update(string $message): LoggedRow
    {
        $relation = $this->relation($message, 1);
        $kind = $message[5] ?? throw BrokenLog::short('U');
        if ($kind === 'N') {
            return new LoggedRow($relation, 'update', null, self::tuple($message, 6)[0]);
        }
        [$before, $at] = self::tuple($message, 6);
        if (($message[$at] ?? '') !== 'N') {
            throw BrokenLog::short('U');
        }

        return new LoggedRow($relation, 'update', self::known($relation, $kind, $before), self::tuple($message, $at + 1)[0]);
    }

    private function delete(string $message): LoggedRow
    {
        $relation = $this->relation($message, 1);

        $kind = $message[5] ?? throw BrokenLog::short('D');

        return new LoggedRow($relation, 'delete', self::known($relation, $kind, self::tuple($message, 6)[0]), null);
    }

    /**
     * An old row that carries only the identity has null everywhere else; that null means nothing.
     *
     * @param  list<string|false|null>  $before
     * @return list<string|false|null>
     */
    private static function known(Relation $relation, string $kind, array $before): array
    {
        if ($kind === 'O') {
            return $before;
        }
        foreach ($relation->inKey as $i => $inKey) {
            if (! $inKey) {
                $before[$i] = false;
            }
        }

        return array_values($before);
    }

    /** @return array{list<string|false|null>, int} the values and where the next part of the message begins */
    private static function tuple(string $message, int $at): array
    {
        if (strlen($message) < $at + 2) {
            throw BrokenLog::short($message[0]);
        }
        $count = (ord($message[$at]) << 8) | ord($message[$at + 1]);
        $at += 2;
        $size = strlen($message);
        $values = [];
        for ($i = 0; $i < $count; $i++) {
            $kind = $message[$at] ?? '';
            if ($kind === 't') {
                if ($at + 5 > $size) {
                    throw BrokenLog::short($message[0]);
                }
                $length = (ord($message[$at + 3]) << 8) | ord($message[$at + 4]);
                if ($message[$at + 2] !== "\0" || $message[$at + 1] !== "\0") {
                    $length |= (ord($message[$at + 1]) << 24) | (ord($message[$at + 2]) << 16);
                }
                $values[] = substr($message, $at + 5, $length);
                $at += 5 + $length;
            } elseif ($kind === 'n') {
                $values[] = null;
                $at++;
            } elseif ($kind === 'u') {
                $values[] = false;
                $at++;
            } else {
                throw $kind === '' ? BrokenLog::short($message[0]) : BrokenLog::unknown($kind);
            }
        }
        if ($at > $size) {
            throw BrokenLog::short($message[0]);
        }

        return [$values, $at];
    }

    private static function begin(string $message): Begin
    {
        ['lsn' => $lsn, 'time' => $time, 'xid' => $xid] = self::fields('Jlsn/Jtime/Nxid', $message, 21);

        return new Begin(LogPlace::commitAt($lsn), $time + self::EPOCH, $xid);
    }

    private static function commit(string $message): Commit
    {
        ['end' => $end, 'time' => $time] = self::fields('Cflags/Jlsn/Jend/Jtime', $message, 26);

        return new Commit(LogPlace::before($end), $time + self::EPOCH);
    }

    private function describe(string $message): Relation
    {
        ['id' => $id] = self::fields('Nid', $message, 5);
        $at = 5;
        $schema = self::string($message, $at);
        $name = self::string($message, $at);
        ['identity' => $identity, 'count' => $count] = self::fields('aidentity/ncount', $message, $at + 3, $at);
        $at += 3;
        $columns = $inKey = $types = [];
        for ($i = 0; $i < $count; $i++) {
            ['flags' => $flags] = self::fields('Cflags', $message, $at + 1, $at);
            $at++;
            $inKey[] = ($flags & 1) === 1;
            $columns[] = self::string($message, $at);
            ['type' => $type, 'modifier' => $modifier] = self::fields('Ntype/Nmodifier', $message, $at + 8, $at);
            // The modifier is signed: -1 says there is none.
            $types[] = [$type, $modifier > 0x7FFFFFFF ? $modifier - 0x100000000 : $modifier];
            $at += 8;
        }

        return $this->relations[substr($message, 1, 4)] = new Relation($id, new TableName($schema === '' ? 'pg_catalog' : $schema, $name), $identity, $columns, $inKey, $types);
    }

    private function truncate(string $message): Truncated
    {
        ['count' => $count] = self::fields('Ncount', $message, 6);
        $relations = [];
        for ($i = 0; $i < $count; $i++) {
            $relations[] = $this->relation($message, 6 + 4 * $i);
        }

        return new Truncated($relations);
    }

    private static function mark(string $message): Mark
    {
        ['lsn' => $lsn] = self::fields('Cflags/Jlsn', $message, 10);
        $at = 10;
        $prefix = self::string($message, $at);
        ['length' => $length] = self::fields('Nlength', $message, $at + 4, $at);

        if ($at + 4 + $length > strlen($message)) {
            throw BrokenLog::short('M');
        }

        return new Mark(LogPlace::before($lsn), $prefix, substr($message, $at + 4, $length));
    }

    private function relation(string $message, int $at): Relation
    {
        $id = substr($message, $at, 4);

        return $this->relations[$id] ?? throw strlen($id) < 4 ? BrokenLog::short($message[0]) : BrokenLog::relation(self::number($id));
    }

    private static function number(string $bytes): int
    {
        ['number' => $number] = self::fields('Nnumber', $bytes, 4, 0);

        return $number;
    }

    private static function string(string $message, int &$at): string
    {
        $end = strpos($message, "\0", $at);
        if ($end === false) {
            throw BrokenLog::short($message[0]);
        }
        $string = substr($message, $at, $end - $at);
        $at = $end + 1;

        return $string;
    }

    /**
     * @param  int  $needed  bytes the message must have
     * @return array<string, mixed>
     */
    private static function fields(string $format, string $message, int $needed, int $at = 1): array
    {
        if (strlen($message) < $needed) {
            throw BrokenLog::short($message[0]);
        }

        return unpack($format, $message, $at) ?: throw BrokenLog::short($message[0]);
    }
}
