<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** How rows are written to the landed table. */
enum Landing: string
{
    case Append = 'append';
    case Upsert = 'upsert';
    case Replace = 'replace';
    case Versions = 'versions';

    public function explanation(): string
    {
        return match ($this) {
            self::Append => 'Every row read is added; nothing is changed or removed.',
            self::Upsert => 'A row with a known key is updated, any other is inserted.',
            self::Replace => 'The table is built anew beside the old one and swapped in whole.',
            self::Versions => 'Every version of a row is kept, with the time from which and to which it was valid.',
        };
    }

    /** Whether rows are only added, so that nothing that is there changes. */
    public function adds(): bool
    {
        return $this === self::Append;
    }

    /** Whether a row takes the place of the one with its key. */
    public function merges(): bool
    {
        return $this === self::Upsert;
    }

    /** Whether the whole table is swapped for another. */
    public function swaps(): bool
    {
        return $this === self::Replace;
    }

    /** Whether the versions of a row are linked to each other. */
    public function keepsVersions(): bool
    {
        return $this === self::Versions;
    }

    /** Whether what a row was before can be told from what has landed, where changes land. */
    public function keepsPast(): bool
    {
        return $this === self::Append || $this === self::Versions;
    }

    /** Whether several rows with one key may stand in the table, be it since they are never told apart. */
    public function repeatsKeys(): bool
    {
        return $this === self::Append || $this === self::Replace;
    }

    /** @return list<Technical> columns that changes cannot land without */
    public function technical(Deletes $deletes): array
    {
        return match ($this) {
            self::Append => [Technical::SourcePosition, Technical::ChangeKind, Technical::ChangedAt, Technical::RowBefore, Technical::NotSent],
            self::Versions => [Technical::SourcePosition, Technical::ChangeKind, Technical::ValidFrom, Technical::ValidTo, Technical::IsCurrent],
            default => $deletes === Deletes::Mark ? [Technical::DeletedAt] : [],
        };
    }

    /** What a delete at the source does, in a sentence. */
    public function deleted(Deletes $deletes): string
    {
        return match ($this) {
            self::Append => 'A delete is an entry of the journal.',
            self::Versions => 'A delete ends the row\'s last version.',
            default => $deletes->explanation(),
        };
    }

    /**
     * @param  list<string>  $key  columns that tell records apart
     * @param  string  $position  the column that takes the source's position
     * @return list<string> the columns that tell landed rows apart; empty where nothing does
     */
    public function rowKey(array $key, string $position): array
    {
        return match ($this) {
            self::Append => [],
            self::Versions => [...$key, $position],
            default => $key,
        };
    }
}
