<?php

declare(strict_types=1);

namespace Tests\App;

use App\Models\Person;
use App\Models\SavedQuery;
use App\Models\SetAside;
use Illuminate\Routing\Route;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Route as Router;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\Test;

/** Every route that the router knows has a stated rule, and keeps to it for every kind of person. */
final class RoutesTest extends AppCase
{
    /** What who is signed in may look at, whoever it is. */
    private const ANY = ['GET watch', 'GET parts/ruler', 'GET parts/schedule', 'GET find', 'GET decisions', 'GET audit', 'GET me', 'POST me', 'POST me/password', 'POST sign-out', 'GET systems', 'GET systems/{system:name}', 'GET landed', 'GET landed/found', 'GET landed/{feed}', 'GET feeds', 'GET runs/{run}', 'GET feeds/{feed}', 'GET routes/{route}', 'GET feeds/{feed}/files', 'GET feeds/{feed}/delay', 'GET feeds/{feed}/life', 'GET feeds/{feed}/runs', 'GET feeds/{feed}/columns', 'GET feeds/{feed}/set-aside', 'GET feeds/{feed}/set-aside.jsonl', 'GET feeds/{feed}/set-aside/{record}', 'GET feeds/{feed}/checks', 'GET feeds/{feed}/forks', 'GET feeds/{feed}/versions', 'GET feeds/{feed}/set-up'];

    /** What needs the right to change things. */
    private const CHANGE = ['GET landed/sql', 'POST landed/sql', 'POST landed/sql/stop', 'POST landed/sql/saved', 'DELETE landed/sql/saved/{query}', 'POST landed/scan', 'GET systems/new', 'POST systems', 'PUT systems/{system:name}', 'DELETE systems/{system:name}', 'POST systems/{system:name}/check', 'POST systems/{system:name}/asker', 'DELETE systems/{system:name}/asker', 'POST systems/{system:name}/slots', 'GET feeds/new', 'GET feeds/new/sample', 'POST feeds/new/grid', 'POST feeds/new/judge', 'POST feeds/new/rehearse', 'POST feeds/new', 'POST feeds/act', 'POST feeds/{feed}/columns/line', 'POST feeds/{feed}/columns/act', 'POST feeds/{feed}/checks', 'POST feeds/{feed}/forks', 'GET feeds/{feed}/rehearse', 'POST feeds/{feed}/rehearse', 'POST feeds/{feed}/set-aside', 'POST feeds/{feed}/set-aside/{record}', 'POST feeds/{feed}/versions/back', 'POST feeds/{feed}/set-up', 'POST feeds/{feed}/start-over', 'POST feeds/{feed}/agree', 'POST feeds/{feed}/emptied', 'POST feeds/{feed}/reload', 'DELETE feeds/{feed}', 'POST routes/{route}/check', 'POST routes/{route}/limits', 'POST routes/{route}/anew'];

    /** What needs the right to see personal values besides. */
    private const PERSONAL = ['POST feeds/{feed}/set-aside/{record}/reveal'];

    /** What nobody has to be signed in for. */
    private const OPEN = ['GET /', 'POST /', 'PUT /', 'PATCH /', 'DELETE /', 'OPTIONS /', 'GET sign-in', 'POST sign-in'];

    #[Test]
    public function every_route_has_a_rule_and_keeps_to_it(): void
    {
        $feed = $this->carry($this->feed(['treatment' => Treatment::fromArray(['checks' => [['check' => 'expression', 'expression' => 'id != 7', 'else' => 'set_aside']], 'failing' => 'set_aside'])]));
        $fill = ['{feed}' => $feed->name, '{system:name}' => 'gate', '{run}' => (string) $feed->last_run_id, '{route}' => (string) $feed->route_id, '{record}' => (string) SetAside::sole()->id];
        $people = ['nobody' => null, 'viewer' => $this->person('viewer', 'viewer'), 'engineer' => $this->engineer(), 'engineer who sees' => $this->person('sees', 'engineer')];
        $people['engineer who sees']->update(['sees_personal' => true]);
        $fill['{query}'] = (string) SavedQuery::create(['name' => 'mine', 'target' => 'house', 'sql' => 'SELECT 1', 'person_id' => $people['engineer']->id])->id;
        $seen = [];
        foreach (Router::getRoutes() as $route) {
            foreach (array_diff($route->methods(), ['HEAD']) as $method) {
                $seen[] = $told = "{$method} ".self::uri($route);
                $rule = array_keys(array_filter(['open' => in_array($told, self::OPEN, true), 'any' => in_array($told, self::ANY, true), 'change' => in_array($told, self::CHANGE, true), 'personal' => in_array($told, self::PERSONAL, true)]));
                self::assertCount(1, $rule, "{$told} has no stated rule, or more than one");
                foreach ($people as $who => $person) {
                    $this->assertKept($rule[0], $told, $method, '/'.ltrim(strtr(self::uri($route), $fill), '/'), $who, $person);
                }
            }
        }
        self::assertSame([], array_values(array_diff([...self::ANY, ...self::CHANGE, ...self::PERSONAL, ...self::OPEN], $seen)), 'rules without a route');
    }

    private static function uri(Route $route): string
    {
        $fields = $route->bindingFields();

        return (string) preg_replace_callback('/\{(\w+)\}/', static fn (array $m): string => isset($fields[$m[1]]) ? "{{$m[1]}:{$fields[$m[1]]}}" : $m[0], $route->uri());
    }

    private function assertKept(string $rule, string $told, string $method, string $path, string $who, ?Person $person): void
    {
        app('auth')->forgetGuards();
        $person === null || $this->actingAs($person->refresh());
        // What a form would do is undone each time, whatever it is.
        DB::beginTransaction();
        $answer = $this->call($method, $path);
        DB::rollBack();
        $may = match ($rule) {
            'open', 'any' => $rule === 'open' || $person !== null, 'change' => $person?->role === 'engineer', 'personal' => $person?->role === 'engineer' && $person->sees_personal,
        };
        if ($person === null && ! $may) {
            self::assertSame([302, '/sign-in'], [$answer->getStatusCode(), parse_url((string) $answer->headers->get('Location'), PHP_URL_PATH)], "{$told} as {$who}");
        } else {
            self::assertSame(! $may, $answer->getStatusCode() === 403, "{$told} as {$who} answered {$answer->getStatusCode()}");
        }
        self::assertLessThan(500, $answer->getStatusCode(), "{$told} as {$who}");
    }
}
