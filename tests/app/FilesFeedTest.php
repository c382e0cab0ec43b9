<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\AsideDesk;
use App\Feeds\Draft;
use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Models\Run;
use App\Models\SetAside;
use App\Models\TakenFile;
use App\Runtime\Common\Systems;
use App\Runtime\Common\TakenBook;
use PHPUnit\Framework\Attributes\Test;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** A feed of files as workers carry it and pages show it. */
final class FilesFeedTest extends AppCase
{
    private string $path;

    protected function setUp(): void
    {
        parent::setUp();
        $this->path = sys_get_temp_dir().'/drop-'.bin2hex(random_bytes(5));
        mkdir($this->path);
        $this->source = SystemBook::add('lab drop', ['path' => $this->path], '', 'files');
        $this->actingAs($this->engineer());
    }

    protected function tearDown(): void
    {
        exec('rm -rf '.escapeshellarg($this->path));
        parent::tearDown();
    }

    private function leave(string $name, string $contents, int $ago = 60): void
    {
        file_put_contents("{$this->path}/{$name}", $contents);
        touch("{$this->path}/{$name}", time() - $ago);
    }

    /** @param  array<string, mixed>  $said */
    private function must(array $said = []): Feed
    {
        [$definition] = Draft::make(app(Systems::class)->source($this->source), 'lab drop', $said + ['table' => 'must-*.csv', 'name' => 'must', 'landed' => 'lab.must', 'key' => ['sample'], 'landing' => 'upsert']);

        return FeedBook::create($this->source, $this->target, [$definition])[0];
    }

    private function lastRun(Feed $feed): Run
    {
        return Run::findOrFail($feed->refresh()->last_run_id);
    }

    /** @return list<string> */
    private function landed(): array
    {
        return array_map(static fn (array $r): string => "{$r['sample']} {$r['ph']}", $this->house->rows('SELECT sample, ph FROM lab.must ORDER BY 1'));
    }

    #[Test]
    public function good_lines_land_bad_ones_and_broken_files_wait_and_the_sums_hold(): void
    {
        $this->leave('must-1.csv', "sample;ph\na;3,5\nb;3,75\n", 90);
        $feed = $this->must();
        $this->leave('must-2.csv', "sample;ph\nc;sour\nd;3,9\ne\n", 80);
        $this->leave('must-3.csv', "sample;other\nx;1\n", 70);
        $this->leave('must-4.csv', '', 65);
        $this->carry($feed);
        $run = $this->lastRun($feed);
        self::assertSame([['a 3.50', 'b 3.75', 'd 3.90'], 'done', 6, 3, 3, true], [$this->landed(), $run->state, $run->read, $run->inserted, $run->set_aside, $run->addsUp()]);
        self::assertSame(['must-1.csv' => [2, 0], 'must-2.csv' => [1, 2], 'must-3.csv' => [0, 1], 'must-4.csv' => [0, 0]], TakenFile::orderBy('path')->get()->mapWithKeys(static fn (TakenFile $f): array => [$f->path => [$f->rows, $f->set_aside]])->all());
        self::assertSame(['on time', []], [$feed->refresh()->state(), app(Systems::class)->source($this->source)->plan($feed->definition->parsed(), $feed->stands(), null, new TakenBook($feed->id))->files->taken]);
        $page = (string) $this->get('/feeds/must/files')->assertOk()->getContent();
        foreach (['<b>4</b><span>files taken</span>', '<b>3</b><span>rows of them</span>', '<b>3</b><span>set aside as they were read</span>', '<b>0</b><span>wait to be taken</span>'] as $said) {
            self::assertStringContainsString($said, $page);
        }

        self::assertSame(['must-4.csv holds no rows.'], $run->lines()->where('level', 'caution')->where('said', 'like', '%no rows%')->pluck('said')->all());

        // A line is mended in the way the file writes it, a file taken again once it is put right.
        $line = SetAside::where('message', 'like', '%must-2.csv, line 2%')->sole();
        $this->post("/feeds/must/set-aside/{$line->id}", ['values' => ['sample' => 'c', 'ph' => '4,25'] + array_map(strval(...), array_filter($line->record)), 'null' => ['ph' => '1'], 'send' => '1'])->assertRedirect();
        $this->carry($feed);
        self::assertContains('c 4.25', $this->landed());
        $file = SetAside::where('kind', SetAside::FILE)->sole();
        self::assertStringContainsString('it lacks "ph" and it also has "other"', $file->message);
        $this->leave('must-3.csv', "sample;ph\nx;5,0\n", 50);
        $this->post("/feeds/must/set-aside/{$file->id}", ['send' => '1'])->assertRedirect();
        $this->carry($feed);
        self::assertSame(['a 3.50', 'b 3.75', 'c 4.25', 'd 3.90', 'x 5.00'], $this->landed());
        self::assertSame(1, SetAside::waiting()->count());
        self::assertSame('sent', $file->refresh()->state);
    }

    #[Test]
    public function a_file_whose_time_is_ahead_is_left_until_it_has_stayed_the_same(): void
    {
        $this->leave('must-1.csv', "sample;ph\na;3,5\n", 90);
        $feed = $this->must();
        $this->leave('must-2.csv', "sample;ph\nb;2,", -3600);
        $this->carry($feed);
        self::assertSame(['a 3.5'], $this->landed());
        sleep(6);
        $this->leave('must-2.csv', "sample;ph\nb;2,5\n", -3600);
        $this->carry($feed);
        self::assertSame(['a 3.5'], $this->landed(), 'somebody was writing to it');
        $this->get('/feeds/must/files')->assertOk()->assertSee('left until it has stayed the same for 5 s; its time is ahead of the clock');
        sleep(6);
        $this->carry($feed);
        self::assertSame(['a 3.5', 'b 2.5'], $this->landed());
        self::assertTrue($this->lastRun($feed)->state === 'done' && $this->carry($feed)->sequence === 2);
    }

    #[Test]
    public function what_is_never_taken_is_said_on_the_page_and_by_the_test_of_the_system(): void
    {
        $this->leave('must-1.csv', "sample;ph\na;3,5\n", 90);
        $feed = $this->must();
        symlink("{$this->path}/must-1.csv", "{$this->path}/must-2.csv");
        foreach (["must-3\n.csv", "must-4\xFF.csv", 'must\\5.csv'] as $name) {
            file_put_contents("{$this->path}/{$name}", "sample;ph\nz;1\n");
            touch("{$this->path}/{$name}", time() - 60);
        }
        $this->carry($feed);
        self::assertSame(['a 3.5'], $this->landed());
        $this->get('/feeds/must/files')->assertOk()->assertSee('4 files in these folders are never read')->assertSee('must-2.csv')->assertSee('it is a link')->assertSee('must-3\n.csv')->assertSee('its name is not UTF-8')->assertSee('its name holds a backslash');
        self::assertCount(3, array_filter(app(Systems::class)->source($this->source)->check(), static fn (\Lighterman\Core\Port\Finding $f): bool => $f->subject === 'Passed over'));
    }

    #[Test]
    public function a_changed_file_waits_for_a_decision_or_comes_again(): void
    {
        $this->leave('must-1.csv', "sample;ph\na;3,5\n", 90);
        $feed = $this->carry($this->must(['files' => ['changed' => 'set_aside']]));
        $this->leave('must-1.csv', "sample;ph\na;9,9\nb;4,0\n", 50);
        self::assertStringContainsString('it has changed since it was taken', (string) $this->get('/feeds/must/files')->getContent());
        $this->carry($feed);
        self::assertSame([['a 3.5'], 1], [$this->landed(), SetAside::waiting()->count()]);
        $this->carry($feed);
        self::assertSame(1, SetAside::count(), 'it is set aside once');
        AsideDesk::send($feed->load('route'), SetAside::query());
        $this->carry($feed->refresh());
        self::assertSame(['a 9.9', 'b 4.0'], $this->landed());
    }

    #[Test]
    public function whatever_is_left_changed_and_taken_away_the_last_word_of_each_sample_lands(): void
    {
        $random = new Randomizer(new Mt19937($seed = random_int(1, PHP_INT_MAX)));
        $this->leave('must-0.csv', "sample;ph\ns0;3,55\n", 9000);
        $feed = $this->must(['files' => ['changed' => 'again']]);
        [$expected, $lines, $ago, $there] = [[], 0, 8000, ['must-0.csv' => "sample;ph\ns0;3,55\n"]];
        $new = $there;
        for ($round = 0; $round < 6; $round++) {
            for ($n = $random->getInt(0, 4); $n > 0; $n--) {
                $name = 'must-'.$random->getInt(0, 7).'.csv';
                $rows = '';
                for ($i = $random->getInt(0, 6); $i > 0; $i--) {
                    $rows .= 's'.$random->getInt(0, 15).';'.['3,'.$random->getInt(10, 99), 'sour', ''][$random->getInt(0, 9) < 8 ? 0 : $random->getInt(1, 2)]."\n";
                }
                // Later ones are younger, so the order in which files are taken is the order in which they were left.
                $this->leave($name, $new[$name] = "sample;ph\n{$rows}", $ago -= 10);
                unset($there[$name]);
                $there[$name] = $new[$name];
                uksort($new, static fn (string $a, string $b): int => array_search($a, array_keys($there), true) <=> array_search($b, array_keys($there), true));
            }
            if ($random->getInt(0, 3) === 0 && $round > 0 && ($gone = array_key_last(array_diff_key($there, $new))) !== null) {
                unlink("{$this->path}/{$gone}");
                unset($there[$gone]);
            }
            foreach ($new as $text) {
                foreach (array_slice(explode("\n", trim($text)), 1) as $line) {
                    [$sample, $ph] = explode(';', $line);
                    $lines++;
                    if ($ph !== 'sour') {
                        $expected[$sample] = $ph === '' ? '' : str_replace(',', '.', $ph);
                    }
                }
            }
            $new = [];
            $this->carry($feed);
            ksort($expected, SORT_STRING);
            self::assertSame(array_map(static fn (string $s, string $ph): string => "{$s} {$ph}", array_keys($expected), $expected), $this->landed(), "round {$round}, seed {$seed}");
            $sequence = $feed->refresh()->sequence;
            $this->carry($feed);
            self::assertSame($sequence, $feed->refresh()->sequence, "nothing is taken twice (seed {$seed})");
        }
        self::assertSame($lines, (int) $feed->runs()->sum('read'), "every line was read once (seed {$seed})");
        foreach ($feed->runs()->get() as $run) {
            self::assertTrue($run->addsUp(), "run {$run->id}, seed {$seed}");
        }
    }

    #[Test]
    public function a_folder_that_is_away_is_tried_again_and_an_empty_run_costs_nothing(): void
    {
        $this->leave('must-1.csv', "sample;ph\na;3,5\n", 90);
        $feed = $this->carry($this->must());
        $receipts = $feed->sequence;
        $this->carry($feed);
        self::assertSame([$receipts, 'on time'], [$feed->refresh()->sequence, $feed->state()]);
        rename($this->path, "{$this->path}.away");
        try {
            $this->carry($feed);
            self::assertSame(['failed', true], [$feed->refresh()->standing, $feed->due_at !== null]);
            self::assertStringContainsString('is not there', $feed->trouble->message);
        } finally {
            rename("{$this->path}.away", $this->path);
        }
        $this->carry($feed);
        self::assertSame('on time', $feed->refresh()->state());
    }
}
