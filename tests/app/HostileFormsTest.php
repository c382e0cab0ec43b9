<?php

declare(strict_types=1);

namespace Tests\App;

use App\Http\Middleware\PlainFields;
use App\Models\Feed;
use App\Models\Run;
use App\Models\SavedQuery;
use Illuminate\Routing\Route as Path;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Route;
use PHPUnit\Framework\Attributes\Test;

/** What somebody sends who has never seen the pages: every page and form answers for it, and none breaks down. */
final class HostileFormsTest extends AppCase
{
    /**
     * @param  string|null  $instead  of what every address is about
     * @return list<array{string, string, string}> method, address and controller of everything there is
     */
    private function places(Feed $feed, ?string $instead = null): array
    {
        $values = ['{feed}' => 'loads', '{system:name}' => 'gate', '{system}' => 'gate', '{route}' => (string) $feed->route_id, '{run}' => (string) Run::min('id'), '{record}' => '1', '{query}' => '1'];
        $values = $instead === null ? $values : array_fill_keys(array_keys($values), $instead);
        $places = [];
        foreach (Route::getRoutes()->getRoutes() as $route) {
            assert($route instanceof Path);
            foreach (array_diff($route->methods(), ['HEAD']) as $method) {
                $places[] = [$method, '/'.ltrim(strtr($route->uri(), $values), '/'), explode('@', ltrim((string) $route->getActionName(), '\\'))[0]];
            }
        }

        return $places;
    }

    /** @return list<string> every word that may be the name of a field, or an act */
    private static function words(string ...$files): array
    {
        preg_match_all("/'([a-zA-Z_]{1,24})'/", implode("\n", array_map(file_get_contents(...), $files)), $found);
        preg_match_all('/in:([a-zA-Z_,]+)/', implode("\n", array_map(file_get_contents(...), $files)), $listed);

        return array_values(array_unique([...$found[1], ...explode(',', implode(',', $listed[1]))]));
    }

    /**
     * Lists where pages send lists, and a word elsewhere; a list elsewhere is refused as such.
     *
     * @param  list<string>  $names
     * @return array<string, mixed>
     */
    private static function filled(array $names, mixed $value): array
    {
        $lists = array_fill_keys(PlainFields::LISTS, $value);

        return is_array($value) ? array_fill_keys(array_diff($names, PlainFields::LISTS), 'x') + $lists : array_fill_keys($names, $value) + $lists;
    }

    #[Test]
    public function who_may_only_look_changes_nothing_but_themselves(): void
    {
        $feed = $this->carry($this->feed());
        $viewer = $this->person('viewer', 'viewer')->refresh();
        $query = SavedQuery::create(['name' => 'q', 'target' => 'house', 'sql' => 'SELECT 1', 'person_id' => $viewer->id]);
        foreach ($this->places($feed) as [$method, $address]) {
            if ($method !== 'GET' && ! in_array($address, ['/', '/sign-in', '/sign-out', '/me', '/me/password'], true)) {
                self::assertSame(403, $this->actingAs($viewer)->call($method, str_replace('saved/1', "saved/{$query->id}", $address))->getStatusCode(), "{$method} {$address}");
            }
        }
        self::assertSame('on time', $feed->refresh()->state());
    }

    #[Test]
    public function a_list_in_place_of_a_value_is_refused_as_such(): void
    {
        $this->actingAs($this->engineer());
        $this->get('/find?q[]=x')->assertStatus(422)->assertSee('its field q came as a list');
        $this->from('/feeds')->post('/feeds/act', ['act' => ['pause'], 'feeds' => ['loads']])->assertRedirect('/feeds')->assertSessionHasErrors('said');
        $this->get('/find?q=%FF')->assertStatus(422)->assertSee('holds bytes that are no text');
        $this->get('/find?q=Zoë')->assertOk();
    }

    #[Test]
    public function nothing_that_is_sent_brings_a_page_down(): void
    {
        $feed = $this->carry($this->feed());
        $engineer = $this->engineer()->refresh();
        $shared = array_filter(glob(app_path('Feeds/*.php')) ?: [], static fn (string $f): bool => str_contains((string) file_get_contents($f), '$request'));
        $values = ['word' => 'x', 'list' => ['x'], 'nested' => [['x' => ['y']], 'z' => [[]]], 'zero byte' => "a\0b", 'number' => str_repeat('9', 40), 'no text' => "\xff\xfe", 'negative' => '-1', 'long' => str_repeat('ä', 3_000), 'wide' => ['' => '', 7 => ['name' => ['x']]], 'nothing' => null];
        $broken = [];
        foreach ($this->places($feed) as [$method, $address, $controller]) {
            $file = app_path(str_replace(['App\\', '\\'], ['', '/'], $controller).'.php');
            $acts = $method !== 'GET' && is_file($file) && str_contains((string) file_get_contents($file), "'act'") ? self::words($file) : [];
            $names = self::words(...$shared, ...(is_file($file) ? [$file] : []));
            foreach ($values as $kind => $value) {
                foreach (in_array($kind, ['word', 'list', 'nested'], true) ? [null, ...$acts] : [null] as $act) {
                    DB::beginTransaction();
                    $response = $this->actingAs($engineer)->call($method, $address, ($act === null ? [] : ['act' => $act]) + self::filled($names, $value));
                    if ($response->getStatusCode() >= 500) {
                        $broken["{$method} {$address} {$kind} {$act}"] = (string) ($response->exception === null ? $response->getStatusCode() : $response->exception::class.' '.mb_strcut($response->exception->getMessage(), 0, 200).' '.basename($response->exception->getFile()).':'.$response->exception->getLine());
                    }
                    DB::rollBack(1);
                }
            }
        }
        foreach (['99999999999999999999', '%FF%FE', '%00', '..%2F..', str_repeat('x', 3_000), '-1', 'é'] as $instead) {
            foreach ($this->places($feed, $instead) as [$method, $address]) {
                DB::beginTransaction();
                $response = $this->actingAs($engineer)->call($method, $address);
                DB::rollBack(1);
                $response->getStatusCode() < 500 || $broken["{$method} {$address}"] = (string) $response->exception?->getMessage();
            }
        }
        self::assertSame([], $broken, implode("\n", array_map(static fn (string $k, string $v): string => "{$k}: {$v}", array_keys($broken), $broken)));
    }
}
