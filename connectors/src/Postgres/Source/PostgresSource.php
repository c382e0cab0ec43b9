<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Source;

use Lighterman\Connectors\Postgres\Server\Catalogue;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Identities;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\PostgresSpelling;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Reading\Conditions;
use Lighterman\Connectors\Reading\Planner;
use Lighterman\Connectors\Reading\SqlLookup;
use Lighterman\Connectors\Reading\TableReader;
use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Capture\SourceMoment;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Capture\Window;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Port\BatchReader;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\TakenFiles;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\LookupTable;

/** A PostgreSQL database that rows come from. Every session of it is read-only. */
final class PostgresSource implements SourceSystem
{
    /**
     * Windows end this much before the source's clock. A transaction's start is taken a moment before it shows in
     * pg_stat_activity; the margin covers that moment.
     */
    private const MARGIN = '500 milliseconds';

    private readonly Connection $connection;

    private ?SourceCapabilities $capabilities = null;

    private ?string $zone = null;

    public function __construct(private readonly PostgresSettings $settings)
    {
        $this->connection = new Connection($settings, Connection::READER, readOnly: true);
    }

    public function check(): array
    {
        return (new SourceChecks($this->connection))->findings();
    }

    public function capabilities(): SourceCapabilities
    {
        return $this->capabilities ??= new SourceCapabilities(
            $this->connection->value("SELECT pg_has_role('pg_read_all_stats', 'USAGE')") === 't',
        );
    }

    public function catalogue(): array
    {
        return (new Catalogue($this->connection))->all();
    }

    public function shape(TableName $table): Shape
    {
        return (new Catalogue($this->connection))->shape($table);
    }

    public function sample(TableName $table, int $rows): array
    {
        $shape = $this->shape($table);
        $order = $shape->key === [] ? '' : ' ORDER BY '.implode(', ', array_map(static fn (string $k): string => Quoted::name($k).' DESC', $shape->key));

        return $this->connection->rows('SELECT * FROM '.Sql::table($table).$order.' LIMIT '.$rows);
    }

    public function identity(TableName $table): ?TableIdentity
    {
        return (new Identities($this->connection))->of([$table], "SELECT '{}'::json WHERE \$2::text IS NOT NULL", '')[(string) $table] ?? null;
    }

    public function some(FeedDefinition $definition, Sampling $which, int $rows): array
    {
        return array_map(array_values(...), $this->connection->rows((new Conditions(new PostgresSpelling, $definition))->sampling($which, $rows)));
    }

    public function lookup(TableName $table, Column $match, Column $take): LookupTable
    {
        return new SqlLookup(new PostgresSpelling, $table, $match, $take, $this->connection->rows(...));
    }

    public function facts(TableName $table, array $key = [], array $files = []): TableFacts
    {
        return (new FactFinder($this->connection))->facts($table, $this->shape($table), $key);
    }

    public function count(FeedDefinition $definition): int
    {
        return (int) $this->connection->value('SELECT count(*) FROM '.Sql::table($definition->origin->table));
    }

    public function row(FeedDefinition $definition, array $key): ?array
    {
        $table = $definition->origin->table;

        return (new Catalogue($this->connection))->rowByKey($table, $key);
    }

    public function plan(FeedDefinition $definition, Position $from, ?BoundNote $note, ?TakenFiles $taken = null): ReadPlan
    {
        return Planner::plan($definition, $from, $note, $this->moment($definition), fn (Window $window): bool => $this->connection->value(
            'SELECT EXISTS (SELECT 1 FROM '.Sql::table($definition->origin->table).' WHERE '.(new Conditions(new PostgresSpelling, $definition))->window($window).')',
        ) === 't');
    }

    public function reader(FeedDefinition $definition, ReadPlan $plan): BatchReader
    {
        return new TableReader($definition, $plan, new PostgresSpelling, fn (string $select): PsqlStream => PsqlStream::copy($this->settings, $select));
    }

    public function withoutWatermark(FeedDefinition $definition): int
    {
        return $definition->origin->watermarkColumn() === null ? 0 : (int) $this->connection->value(
            'SELECT count(*) FROM '.Sql::table($definition->origin->table).' WHERE '.Quoted::name($definition->origin->watermarkColumn()).' IS NULL',
        );
    }

    private function moment(FeedDefinition $definition): SourceMoment
    {
        $type = $definition->origin->watermarkColumn() === null ? null : $definition->origin->shape->column($definition->origin->watermarkColumn())?->type;
        $kind = $type?->kind;
        $zone = Quoted::literal($this->zone());
        $held = 'least(clock.now - interval '.Quoted::literal(self::MARGIN).', open.oldest)';
        // A column that keeps fewer digits rounds, so what is under way of the last of them has to stay open.
        $at = match (true) {
            ($digits = $type->length ?? 6) === 6 => $held, $digits < 3 => "date_trunc('second', {$held})", default => "date_trunc('milliseconds', {$held})",
        };
        $bound = match ($kind) {
            null => 'NULL',
            TypeKind::TimestampTz => "({$at})::text",
            TypeKind::Timestamp => "(({$at}) AT TIME ZONE {$zone})::text",
            TypeKind::Date => "((({$held}) AT TIME ZONE {$zone})::date)::text",
            default => '(SELECT max('.Quoted::name((string) $definition->origin->watermarkColumn()).') FROM '.Sql::table($definition->origin->table).')::text',
        };
        $reader = Connection::READER;
        $iso = static fn (string $t): string => "to_char({$t} AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS.US\"Z\"')";
        $sql = "WITH clock AS MATERIALIZED (SELECT clock_timestamp() AS now),
            open AS MATERIALIZED (
                SELECT min(xact_start) AS oldest FROM pg_stat_activity
                WHERE datname = current_database() AND pid <> pg_backend_pid() AND xact_start IS NOT NULL
                  AND application_name <> '{$reader}' AND backend_type NOT IN ('autovacuum worker', 'walsender'))
            SELECT {$iso('clock.now')} AS clock, {$iso('open.oldest')} AS oldest, {$iso($held)} AS held, {$bound} AS bound FROM clock, open";
        // Where the bound is asked of the table, each has a question of its own.
        $row = ($kind === null || $kind->isMoment() ? $this->connection->again($sql, []) : $this->connection->rows($sql))[0] ?? [];

        return new SourceMoment((string) ($row['clock'] ?? ''), $row['oldest'] ?? null, $row['bound'] ?? null, (string) ($row['held'] ?? ''));
    }

    /** The zone in which the database means its timestamps without a zone. */
    private function zone(): string
    {
        return $this->zone ??= (string) $this->connection->value("SELECT reset_val FROM pg_settings WHERE name = 'TimeZone'");
    }
}
