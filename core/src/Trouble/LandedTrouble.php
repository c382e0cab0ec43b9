<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use Stringable;

/** A landed table is not as it has to be, or no longer as it was. */
final class LandedTrouble extends SystemTrouble
{
    private function __construct(Reason $reason, string $message, Remedy|string $remedy, public readonly ?string $system, public readonly ?string $table = null, public readonly ?string $column = null, bool $mayPass = false)
    {
        parent::__construct($reason, $message, $remedy, $mayPass);
    }

    public static function gone(string $system, string|Stringable $table): self
    {
        return self::lost(Reason::LandedGone, "{$system}: the landed table {$table} is gone; somebody dropped or renamed it.", $system, $table);
    }

    public static function replaced(string $system, string|Stringable $table): self
    {
        return self::lost(Reason::LandedReplaced, "{$system}: the landed table {$table} is another one than that which was landed in; somebody dropped it and made it again.", $system, $table);
    }

    public static function column(string $system, string|Stringable $table, string $column): self
    {
        return self::lost(Reason::LandedColumn, "{$system}: column {$column} of {$table} is another one than that which was landed in; somebody dropped it and added it again, so that its values are gone.", $system, $table, $column);
    }

    public static function emptied(string $system, string|Stringable $table): self
    {
        return self::lost(Reason::LandedEmptied, "{$system}: the landed table {$table} was emptied by somebody else.", $system, $table);
    }

    private static function lost(Reason $reason, string $message, string $system, string|Stringable $table, ?string $column = null): self
    {
        return new self($reason, $message, new Remedy('Load the table again: the landed table is made if it has to be, and filled anew. Resuming without that would leave rows out, and is refused. A feed of files is started over instead.', Act::LoadAgain), $system, (string) $table, $column);
    }

    /**
     * @param  non-empty-list<string>  $said  how it is not as it has to be, sentences
     * @param  string  $remedy  to be done there
     * @param  string|null  $system  null where the remedy names it
     */
    public static function unfit(?string $system, string|Stringable $table, array $said, string $remedy): self
    {
        return new self(Reason::IncompatibleTable, ($system === null ? '' : "{$system}: ").implode(' ', $said), $remedy, $system, (string) $table);
    }

    /**
     * @param  list<string>  $gone
     * @param  list<string>  $come
     */
    public static function columnsLost(string $system, string|Stringable $table, array $gone, array $come): self
    {
        return new self(Reason::IncompatibleTable, "{$system}: files of {$table} have ".implode(', ', $gone).', and none of '.implode(', ', $come).': rows that are there would have neither.', new Remedy('Give the columns their old names at the source again, and resume; or start the feed over, and agree then.', Act::StartOver), $system, (string) $table);
    }

    public static function rowsKeptOut(string $system, string $table, int $sent, int $arrived): self
    {
        return new self(Reason::RowsKeptOut, "{$system}: of {$sent} rows sent to {$table} {$arrived} arrived.", 'Look for triggers or rules of the landed table that keep rows out or add some, and take them away.', $system, $table);
    }

    public static function rewritten(string $system): self
    {
        return new self(Reason::TableRewritten, "{$system}: a landed table was written anew by somebody else while changes landed.", 'Lighterman lands them again.', $system, mayPass: true);
    }

    /** The target says that a feed stands elsewhere than whoever lands took for granted. */
    public static function movedOn(string $system, string $said = 'the feed stands at another position than the batch begins at.', string $remedy = 'Lighterman reads the position again and goes on from there.'): self
    {
        return new self(Reason::PositionMoved, "{$system}: {$said}", $remedy, $system, mayPass: true);
    }

    public static function notTakenIn(): self
    {
        return new self(Reason::NotTakenIn, 'The feed could not be taken in by the lake.', 'See what the feed says, mend that, and ask again.', null, mayPass: true);
    }

    public static function longFolder(string|Stringable $table, string $partition, int $bytes, int $most): self
    {
        return new self(Reason::UnfitValue, "{$table}: a folder of {$partition} would have a name of {$bytes} bytes, of which there may be {$most}.", new Remedy('Make the values shorter among the feed\'s columns, or start over with files that are parted by something else.', Act::ChangeColumns), null, (string) $table, $partition);
    }

    public static function unfitValue(string|Stringable $table, string $said): self
    {
        return new self(Reason::UnfitValue, "{$table}: a value does not fit its column. {$said}", new Remedy('Convert the column among the feed\'s columns, to text for instance, or say there what becomes of such a value.', Act::ChangeColumns), null, (string) $table);
    }
}
