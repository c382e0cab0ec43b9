<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use PHPUnit\Framework\Attributes\Test;

/** Tables that lie in a lake and that no feed has landed. */
final class LakeScanTest extends LakeCase
{
    private function leave(string $path, string $contents): void
    {
        is_dir(dirname("{$this->path}/{$path}")) || mkdir(dirname("{$this->path}/{$path}"), 0777, true);
        file_put_contents("{$this->path}/{$path}", $contents);
    }

    #[Test]
    public function tables_of_others_are_found_registered_and_queried(): void
    {
        $this->gate->run('CREATE TABLE own (id int PRIMARY KEY); INSERT INTO own SELECT g FROM generate_series(1, 10) g');
        $feed = $this->lakeFeed('own', null, ['id'], Landing::Replace);
        $this->carry($feed, into: $this->lake);
        exec('cp -r '.escapeshellarg(dirname(__DIR__, 2).'/demo/lab-drop/archive/harvest').' '.escapeshellarg($this->path));
        exec('cp '.escapeshellarg(dirname(__DIR__, 2).'/demo/lab-drop/archive/cider-2024.avro').' '.escapeshellarg(dirname(__DIR__, 2).'/demo/lab-drop/archive/cider-2025.avro').' '.escapeshellarg($this->path));
        $this->leave('lab/must/a.csv', "id;ph;on\n1;3,5;01.11.2026\n2;3,75;02.11.2026\n");
        $this->leave('lab/must/b.csv', "id,ph,more\n3,4.5,x\n");
        $this->leave('lab/must/c.jsonl', "{\"id\": 4, \"ph\": 5.125}\n");
        $this->leave('lab/must/broken.avro', 'Obj nothing');
        $this->leave('gate/own/theirs.jsonl', "{\"id\": 77}\n");
        $this->leave('notes/readme.docx', 'x');
        $this->leave('.hidden/x.csv', "a\n1\n");

        $told = $this->lake->scan();
        self::assertSame(4, $told['tables']);
        self::assertSame(['lab/must/broken.avro'], array_keys($told['unreadable']));
        self::assertSame([['3', 't']], $this->lake->query('SELECT count(DISTINCT year), bool_and(kg > 0) FROM found.harvest', 10, 30)->rows);
        self::assertSame([['4', '16.875', '1', '2']], $this->lake->query('SELECT count(*), sum(ph), count(more), count("on") FROM lab.must', 10, 30)->rows);
        self::assertSame([1, 3], $this->lake->query("SELECT * FROM found.harvest WHERE year = '2024'", 10, 30)->files);
        self::assertSame([['10'], ['77']], [$this->lake->query('SELECT count(*) FROM gate.own', 10, 30)->rows[0], $this->lake->query('SELECT id FROM gate.own_found', 10, 30)->rows[0]]);
        $kept = $this->lake->kept();
        self::assertSame([4, 3, ['id', 'ph', 'on', 'more']], [$kept['lab.must']->rows, $kept['lab.must']->files, $kept['lab.must']->shape?->names()]);
        self::assertNull($kept['gate.own']->shape, 'what a feed has landed is told by the feed');
        self::assertSame([$this->path.'/harvest', ['year=2023', 'year=2024', 'year=2025']], [$this->lake->files(new TableName('found', 'harvest'))?->place, array_keys($this->lake->files(new TableName('found', 'harvest'))->partitions ?? [])]);
        self::assertSame(2, $kept['found.cider']->files);

        // What has gone since is no longer known after the next scan, and a feed's files never are.
        exec('rm -r '.escapeshellarg("{$this->path}/harvest").' '.escapeshellarg("{$this->path}/gate/own/theirs.jsonl").' '.escapeshellarg("{$this->path}/lab/must/broken.avro"));
        self::assertSame(['tables' => 2, 'unreadable' => []], $this->lake->scan());
        self::assertEqualsCanonicalizing(['found.cider', 'gate.own', 'lab.must'], array_keys($this->lake->kept()));
        $this->carry($feed, into: $this->lake);
        self::assertSame(10, $this->lake->count($feed->destination->table));
    }

    #[Test]
    public function a_found_table_does_not_open_its_place_to_a_feed(): void
    {
        $this->gate->run('CREATE TABLE must (id int PRIMARY KEY); INSERT INTO must VALUES (1)');
        $this->leave('gate/must/a.jsonl', "{\"id\": 4}\n");
        $this->lake->scan();
        $feed = $this->lakeFeed('must', null, ['id'], Landing::Replace);
        self::assertStringContainsString('has files that Lighterman did not write', $this->lake->prepare($feed->landedTable())->obstacles()[0]->said);
        $over = $this->lakeFeed('must', null, ['id'], Landing::Replace, [], ['takeOver' => true]);
        $this->carry($over, into: $this->lake);
        self::assertSame([['1']], $this->lake->query('SELECT id FROM gate.must', 10, 30)->rows, 'a feed that takes the place over counts before what was found there');
        self::assertFileExists("{$this->path}/gate/must/a.jsonl");
    }
}
