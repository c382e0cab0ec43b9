<?php

declare(strict_types=1);

namespace Tests\App;

use App\Models\Person;
use Illuminate\Support\Facades\Artisan;
use PHPUnit\Framework\Attributes\Test;

/** The command line: answers in words or JSON, and an exit code that is 0 only if it worked. */
final class CommandsTest extends AppCase
{
    /**
     * @param  array<string, mixed>  $arguments
     * @return array{int, mixed} exit code and decoded answer
     */
    private function ask(string $command, array $arguments = []): array
    {
        $code = Artisan::call($command, ['--json' => true, ...$arguments]);

        return [$code, json_decode(Artisan::output(), true, flags: JSON_THROW_ON_ERROR)];
    }

    #[Test]
    public function a_feed_is_run_shown_paused_and_resumed(): void
    {
        $this->feed();
        [$code, $run] = $this->ask('feed:run', ['name' => 'loads']);
        self::assertSame([0, 'on time', 500], [$code, $run['state'], $run['inserted']]);

        [, $shown] = $this->ask('feed:show', ['name' => 'loads']);
        self::assertSame(['on time', 1, 1, 900], [$shown['state'], $shown['receipts'], $shown['definition_version'], $shown['promise_seconds']]);
        self::assertSame('load', end($shown['runs'])['kind']);

        self::assertSame([0, ['feed' => 'loads', 'state' => 'paused']], $this->ask('feed:pause', ['name' => 'loads']));
        [$code, $refused] = $this->ask('feed:run', ['name' => 'loads']);
        self::assertSame(1, $code);
        self::assertStringContainsString('is paused', $refused['error']);
        self::assertSame([0, ['feed' => 'loads', 'state' => 'on time']], $this->ask('feed:resume', ['name' => 'loads']));

        [, $feeds] = $this->ask('feeds');
        self::assertSame(['loads', 'on time', 900], [$feeds[0]['feed'], $feeds[0]['state'], $feeds[0]['promise']]);
    }

    #[Test]
    public function a_run_that_fails_says_why_and_ends_with_one(): void
    {
        $this->feed();
        $this->gate->run('DROP TABLE loads');
        [$code, $run] = $this->ask('feed:run', ['name' => 'loads']);
        self::assertSame([1, 'failed'], [$code, $run['state']]);
        self::assertStringContainsString('no table public.loads', $run['trouble']['message']);
        self::assertSame(1, Artisan::call('feed:run', ['name' => 'loads']));
        self::assertStringContainsString('Restore it, or remove the feed.', Artisan::output());
    }

    #[Test]
    public function what_does_not_exist_is_named_with_a_way_on(): void
    {
        foreach ([['feed:show', ['name' => 'nope'], 'no feed named "nope"'], ['system:check', ['name' => 'nope'], 'no system named "nope"'], ['route:load', ['file' => '/nowhere.yaml'], 'cannot be read']] as [$command, $arguments, $said]) {
            [$code, $answer] = $this->ask($command, $arguments);
            self::assertSame(1, $code);
            self::assertStringContainsString($said, $answer['error']);
            self::assertNotSame('', $answer['remedy']);
        }
    }

    #[Test]
    public function a_system_is_tested_for_either_use(): void
    {
        [$code, $findings] = $this->ask('system:check', ['name' => 'gate']);
        self::assertSame(0, $code);
        self::assertSame(['Port', 'TLS', 'Sign-in', 'Version', 'Clock', 'Reading', 'Open transactions', 'Change log'], array_column($findings, 'subject'));
        [$code, $findings] = $this->ask('system:check', ['name' => 'house', '--as' => 'target']);
        self::assertSame([0, 'Writing', 'passed'], [$code, end($findings)['subject'], end($findings)['result']]);
        self::assertSame('0', $this->house->value("SELECT count(*) FROM pg_namespace WHERE nspname = 'lighterman_test'"), 'the test leaves nothing');
        $this->source->update(['settings' => ['port' => 1] + $this->source->settings]);
        self::assertSame(1, $this->ask('system:check', ['name' => 'gate'])[0]);
        [, $systems] = $this->ask('systems');
        self::assertSame(['gate', 'house'], array_column($systems, 'system'));
    }

    #[Test]
    public function a_person_needs_a_known_role(): void
    {
        [$code, $answer] = $this->ask('person:add', ['name' => 'somebody', 'role' => 'owner']);
        self::assertSame([1, 'The role is engineer or viewer.', 0], [$code, $answer['error'], Person::count()]);
    }
}
