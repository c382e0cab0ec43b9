<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;

/** What a person's statement would read, as the engine itself understands it. */
final readonly class LakeStatement
{
    /** Functions that give rows and read nothing. */
    private const MAKING = ['range', 'generate_series', 'unnest', 'json_each', 'json_tree', 'repeat', 'repeat_row'];

    private const DEPTH = 20_000;

    public function __construct(private Engine $engine)
    {
    }

    /**
     * @param  list<string>  $tables  of the lake, by name
     *
     * @throws EngineError if it reads anything but these: a file by its path, say
     */
    public function demandOnly(string $sql, array $tables): void
    {
        $told = json_decode(implode('', array_map(static fn (array $r): string => (string) reset($r), iterator_to_array($this->engine->query('SELECT json_serialize_sql('.Engine::literal($sql).')'), false))), true, self::DEPTH);
        if (! is_array($told) || $told['error']) {
            // What the engine cannot parse it refuses in its own words.
            if (($told['error_type'] ?? '') === 'not implemented') {
                $this->engine->describe($sql);
                throw new EngineError('Only plain SELECT statements are answered here.');
            }

            return;
        }
        $known = array_fill_keys(array_map(strtolower(...), $tables), true);
        $named = [];
        self::walk($told, static function (array $node) use (&$named): void {
            foreach ($node['cte_map']['map'] ?? [] as $entry) {
                $named[strtolower((string) $entry['key'])] = true;
            }
        });
        self::walk($told, static function (array $node) use ($known, $named): void {
            if (($node['type'] ?? '') === 'TABLE_FUNCTION' && ! in_array(strtolower((string) ($node['function']['function_name'] ?? '')), self::MAKING, true)) {
                throw new EngineError("{$node['function']['function_name']} may read anything, so it is not called here. Ask the tables of the lake by their names.");
            }
            if (($node['type'] ?? '') === 'BASE_TABLE') {
                $name = strtolower(ltrim("{$node['schema_name']}.{$node['table_name']}", '.'));
                if ($node['catalog_name'] !== '' || (! isset($known[$name]) && ! ($node['schema_name'] === '' && isset($named[$name])))) {
                    throw new EngineError(ltrim("{$node['schema_name']}.{$node['table_name']}", '.').' is no table of this lake, and no other is asked here.');
                }
            }
        });
    }

    /**
     * @param  array<array-key, mixed>  $node
     * @param  callable(array<array-key, mixed>): void  $do
     */
    private static function walk(array $node, callable $do): void
    {
        $do($node);
        foreach ($node as $value) {
            is_array($value) && self::walk($value, $do);
        }
    }
}
