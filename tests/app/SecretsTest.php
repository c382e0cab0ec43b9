<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\SystemBook;
use App\Models\AuditEntry;
use App\Models\Person;
use App\Models\System;
use App\Runtime\Common\Systems;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use PHPUnit\Framework\Attributes\Test;

final class SecretsTest extends AppCase
{
    private const MARKER = 'marker-7741-secret';

    #[Test]
    public function a_secret_is_encrypted_at_rest_and_never_rendered(): void
    {
        $system = SystemBook::add('sealed', ['host' => '127.0.0.1', 'port' => (int) getenv('LIGHTERMAN_TEST_PG_PORT'), 'database' => 'postgres', 'user' => 'lighterman', 'tls' => 'prefer'], self::MARKER);
        SystemBook::change($system, 'sealed', $system->settings, self::MARKER.'-2');
        SystemBook::check($system->refresh(), app(Systems::class));

        self::assertSame(self::MARKER.'-2', $system->refresh()->secret);
        self::assertStringNotContainsString(self::MARKER, (string) DB::table('systems')->where('name', 'sealed')->value('secret'));
        self::assertStringNotContainsString(self::MARKER, json_encode([System::all(), AuditEntry::all(), $system->findings], JSON_THROW_ON_ERROR));
        self::assertStringNotContainsString(self::MARKER, print_r(app(Systems::class), true));
        Artisan::call('systems', ['--json' => true]);
        self::assertStringNotContainsString(self::MARKER, Artisan::output());
        self::assertStringNotContainsString(self::MARKER, $this->actingAs($this->engineer())->get('/systems/sealed')->assertOk()->getContent());
    }

    #[Test]
    public function a_refused_password_names_the_user_and_not_the_password(): void
    {
        $system = SystemBook::add('wrong', ['host' => '127.0.0.1', 'port' => (int) getenv('LIGHTERMAN_TEST_PG_PORT'), 'database' => 'postgres', 'user' => 'lighterman', 'tls' => 'prefer'], self::MARKER);
        $failed = array_values(array_filter(SystemBook::check($system, app(Systems::class))['source'], static fn (array $f): bool => $f['result'] === 'failed'));
        self::assertStringContainsString('refuses the password of user lighterman', $failed[0]['said']);
        self::assertStringNotContainsString(self::MARKER, json_encode($failed, JSON_THROW_ON_ERROR));
    }

    #[Test]
    public function a_missing_database_and_a_missing_privilege_have_their_own_message(): void
    {
        $role = 'r'.bin2hex(random_bytes(4));
        $this->gate->run("CREATE ROLE {$role} LOGIN PASSWORD '{$role}'");
        try {
            $settings = ['host' => '127.0.0.1', 'port' => (int) getenv('LIGHTERMAN_TEST_PG_PORT'), 'database' => 'no_such_db', 'user' => $role, 'tls' => 'prefer'];
            $system = SystemBook::add('narrow', $settings, $role);
            self::assertStringContainsString('there is no database no_such_db', json_encode(SystemBook::check($system, app(Systems::class)), JSON_THROW_ON_ERROR));
            SystemBook::change($system, 'narrow', ['database' => $this->source->settings['database']] + $settings, $role);
            $findings = SystemBook::check($system->refresh(), app(Systems::class));
            self::assertStringContainsString("GRANT SELECT ON ALL TABLES IN SCHEMA \\\"public\\\" TO \\\"{$role}\\\"", json_encode($findings['source'], JSON_THROW_ON_ERROR));
            self::assertStringContainsString('may not create schemas', json_encode($findings['target'], JSON_THROW_ON_ERROR));
        } finally {
            app(Systems::class)->forget();
            gc_collect_cycles();
            $this->gate->run("DROP ROLE {$role}");
        }
    }

    #[Test]
    public function passwords_are_hashed_and_failed_sign_ins_are_throttled(): void
    {
        $this->engineer();
        self::assertStringStartsWith('$argon2id$', (string) Person::firstOrFail()->getAuthPassword());
        for ($i = 0; $i < 5; $i++) {
            $this->post('/sign-in', ['name' => 'engineer', 'password' => 'no'])->assertSessionHasErrors('name');
        }
        $this->post('/sign-in', ['name' => 'engineer', 'password' => 'a long enough one'])->assertSessionHasErrors('name');
        self::assertGuest();
    }
}
