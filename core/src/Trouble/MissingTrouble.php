<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use Stringable;

/** Something that was named is not there, or not to be seen. */
final class MissingTrouble extends SystemTrouble
{
    private const NAME = 'Check its name; it may have been dropped or renamed.';

    /** @param  string  $name  of what is missing */
    private function __construct(Reason $reason, string $message, Remedy|string $remedy, public readonly string $name, public readonly ?string $system = null, public readonly ?string $table = null, bool $mayPass = false)
    {
        parent::__construct($reason, $message, $remedy, $mayPass);
    }

    public static function table(string $system, string|Stringable $table, string $seen = 'it may not be seen', string $remedy = 'The table was dropped or renamed. Restore it, or remove the feed.'): self
    {
        return new self(Reason::NoTable, "{$system} has no table {$table}, or {$seen}.", $remedy, (string) $table, $system, (string) $table);
    }

    public static function landed(string $system, string|Stringable $table): self
    {
        return new self(Reason::NoTable, "{$system}: no feed has landed {$table} yet, and no scan has found it.", 'Run the feed that lands in it.', (string) $table, $system, (string) $table);
    }

    /** @param  string  $said  by the server, with the system's name before it */
    public static function tableSaid(string $system, string $said, string $remedy = self::NAME): self
    {
        return new self(Reason::NoTable, "{$said}.", $remedy, $said, $system);
    }

    /** @param  string  $said  by the server, with the system's name before it */
    public static function columnSaid(string $system, string $said): self
    {
        return new self(Reason::NoColumn, "{$said}.", self::NAME, $said, $system);
    }

    /** @param  string  $have  what has columns */
    public static function column(string $system, string|Stringable $table, string $column, string $have = 'the table has'): self
    {
        return new self(Reason::NoColumn, "{$system}: {$table} has no column {$column}.", "Choose a column {$have}.", $column, $system, (string) $table);
    }

    public static function anyColumn(string $system, string|Stringable $table): self
    {
        return new self(Reason::NoColumns, "{$system}: {$table} has no columns, so there is nothing to carry.", 'Give it a column, or leave the table out.', (string) $table, $system, (string) $table);
    }

    public static function system(string $name, ?string $lookedUp = null): self
    {
        return $lookedUp === null
            ? new self(Reason::NoSystem, "There is no system named \"{$name}\".", new Remedy('Name one that there is, or add it.', Act::ListSystems), $name, $name)
            : new self(Reason::NoSystem, "There is no system {$name}, in which {$lookedUp} is to be looked up.", new Remedy('Add the system, or change the lookup among the feed\'s columns.', Act::ChangeColumns), $name, $name);
    }

    public static function feed(string $name): self
    {
        return new self(Reason::NoFeed, "There is no feed named \"{$name}\".", new Remedy('Name one that there is.', Act::ListFeeds), $name);
    }

    public static function log(string $route, string $capture): self
    {
        return new self(Reason::NoLog, "There is no route named \"{$route}\" that reads changes by {$capture}.", new Remedy('Name one that there is; feeds are listed with their routes and captures.', Act::ListFeeds), $route);
    }

    public static function position(string $system): self
    {
        return new self(Reason::NoPosition, "{$system}: the position is gone from lighterman.position.", new Remedy('Restore the table from a backup, or start over: a feed by itself, a route with all its feeds.', Act::StartOver), 'lighterman.position', $system);
    }

    public static function bucket(string $system, string $message, string $bucket): self
    {
        return new self(Reason::NoBucket, $message, 'Make the bucket, or correct its name.', $bucket, $system);
    }

    /** @param  string  $message  a whole sentence */
    public static function folder(string $system, string $message, string $path, string $remedy): self
    {
        return new self(Reason::NoFolder, $message, $remedy, $path, $system, mayPass: true);
    }

    /** @param  string  $message  a whole sentence */
    public static function file(string $path, string $message, string $remedy, ?string $system = null, bool $mayPass = false): self
    {
        return new self(Reason::NoFile, $message, $remedy, $path, $system, mayPass: $mayPass);
    }

    /** A file that Lighterman had written. */
    public static function written(string $path): self
    {
        return new self(Reason::MissingFile, "{$path} is not there, or may not be read.", new Remedy('Somebody else has removed it. Start the feed over, or put the file back from a copy.', Act::StartOver), $path);
    }

    /** A program or library of this machine. */
    public static function tool(Reason $reason, string $tool, string $message, string $remedy, bool $mayPass = false): self
    {
        return new self($reason, $message, $remedy, $tool, mayPass: $mayPass);
    }
}
