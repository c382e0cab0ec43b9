<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Engine;

/** Reads from the engine's own plans of a query which files it would read. */
final class Scans
{
    /**
     * @param  iterable<array<string, string|null>>  $plans  as the engine explains a query, in JSON
     * @return list<array{conditions: string|null, read: int, of: int}>|null as Engine::scans() gives it
     */
    public static function of(iterable $plans): ?array
    {
        $scans = ['logical_plan' => [], 'physical_plan' => []];
        foreach ($plans as $plan) {
            if (isset($scans[$plan['explain_key']])) {
                self::walk(json_decode((string) $plan['explain_value'], true, 512, JSON_THROW_ON_ERROR), $scans[$plan['explain_key']]);
            }
        }

        return count($scans['physical_plan']) < count($scans['logical_plan']) ? null : $scans['physical_plan'];
    }

    /**
     * @param  list<array<string, mixed>>  $nodes
     * @param  list<array{conditions: string|null, read: int, of: int}>  $scans
     */
    private static function walk(array $nodes, array &$scans): void
    {
        foreach ($nodes as $node) {
            $info = (array) ($node['extra_info'] ?? []);
            if (trim((string) $node['name']) === 'READ_PARQUET') {
                $counted = preg_match('/^(\d+)\/(\d+)$/', (string) ($info['Scanning Files'] ?? ''), $m) === 1;
                $conditions = implode("\n", (array) ($info['File Filters'] ?? []));
                $scans[] = ['conditions' => $counted && $conditions !== '' ? self::joined($conditions) : null, 'read' => (int) ($m[1] ?? 0), 'of' => (int) ($m[2] ?? 0)];
            }
            self::walk($node['children'] ?? [], $scans);
        }
    }

    /** Conditions in brackets, one behind the other, as one. */
    private static function joined(string $conditions): string
    {
        // What is in quotes may hold brackets.
        return (string) preg_replace_callback('/\'(?:[^\']|\'\')*+\'|"(?:[^"]|"")*+"|\)\s*\(/', static fn (array $m): string => $m[0][0] === ')' ? ') AND (' : $m[0], $conditions);
    }
}
