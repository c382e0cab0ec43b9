<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\SystemBook;
use App\Models\RouteLog;
use App\Models\System;
use App\Runtime\Systems;
use App\Support\Audit;
use App\Support\SystemKind;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Validation\Rule;
use Illuminate\View\View;
use Lighterman\Core\Port\SystemTrouble;

final class SystemsController
{
    public function index(): View
    {
        return view('systems.index', ['systems' => System::withCount('routesFrom', 'routesTo')->orderBy('name')->get()]);
    }

    public function create(Request $request): View
    {
        return view('systems.form', ['system' => null, 'kind' => SystemKind::tryFrom((string) $request->query('kind', (string) old('kind'))) ?? SystemKind::Postgres, 'orphans' => []]);
    }

    public function show(System $system, Systems $systems): View
    {
        return view('systems.form', ['system' => $system, 'kind' => $system->kind, 'orphans' => $this->orphans($system, $systems)]);
    }

    /**
     * Slots of ours at this system that no route here reads: they make it keep its log for ever.
     *
     * @return list<array{name: string, active: bool, retained: int, lost: bool}>
     */
    private function orphans(System $system, Systems $systems): array
    {
        if ($system->findings === null) {
            return [];
        }
        try {
            $known = RouteLog::pluck('slot')->all();

            return array_values(array_filter($systems->slots($system)?->all() ?? [], static fn (array $s): bool => ! in_array($s['name'], $known, true)));
        } catch (SystemTrouble) {
            return [];
        }
    }

    public function dropSlot(Request $request, System $system, Systems $systems): RedirectResponse
    {
        $slot = $request->validate(['slot' => 'required|string', 'confirm' => 'required|string|same:slot'], ['confirm.same' => 'Type the name of the slot exactly to drop it.', 'confirm.required' => 'Type the name of the slot to drop it.'])['slot'];
        if (! in_array($slot, array_column($this->orphans($system, $systems), 'name'), true)) {
            return back()->withErrors(['confirm' => "Slot {$slot} is read by a route, or gone already."]);
        }
        $systems->slots($system)?->drop($slot);
        Audit::record('dropped the slot '.$slot.' of', 'system', $system->name);

        return redirect('/systems/'.rawurlencode($system->name))->with('done', "Slot {$slot} is dropped.");
    }

    public function store(Request $request, Systems $systems): RedirectResponse
    {
        $kind = SystemKind::from($request->validate(['kind' => [Rule::enum(SystemKind::class)]])['kind'] ?? SystemKind::Postgres->value);
        [$name, $settings] = $this->given($request, $kind);
        $system = SystemBook::add($name, $settings, (string) $request->input('secret'), $kind);
        SystemBook::check($system, $systems);

        return redirect('/systems/'.rawurlencode($name))->with('done', "{$name} is added and was tested.");
    }

    public function update(Request $request, System $system, Systems $systems): RedirectResponse
    {
        [$name, $settings] = $this->given($request, $system->kind);
        SystemBook::change($system, $name, $settings, $request->filled('secret') ? (string) $request->input('secret') : null);
        SystemBook::check($system->refresh(), $systems);

        return redirect('/systems/'.rawurlencode($name))->with('done', 'Saved and tested.');
    }

    public function check(System $system, Systems $systems): RedirectResponse
    {
        SystemBook::check($system, $systems);

        return redirect('/systems/'.rawurlencode($system->name))->with('done', 'Tested.');
    }

    public function destroy(Request $request, System $system): RedirectResponse
    {
        if ($request->input('confirm') !== $system->name) {
            return back()->withErrors(['confirm' => "To remove the system, type its name, {$system->name}, exactly."]);
        }
        SystemBook::remove($system);

        return redirect('/systems')->with('done', "{$system->name} is removed.");
    }

    /** @return array{string, array<string, string|int>} */
    private function given(Request $request, SystemKind $kind): array
    {
        $settings = $request->validate(['name' => ['required', 'string', 'max:60', 'regex:/^[^\/?#]+$/']] + $kind->rules(), ['name.regex' => 'The name may not contain / ? or #.', 'path.starts_with' => 'Give the whole path, beginning with /.', 'endpoint.regex' => 'Give an address such as https://store.aldermoor.example, without a path.', 'bucket.regex' => 'The name of a bucket has letters, digits, points, - and _ only.', 'prefix.regex' => 'The prefix has no blanks, and does not begin with /.']);
        $name = $settings['name'];
        unset($settings['name']);

        return [$name, isset($settings['port']) ? ['port' => (int) $settings['port']] + $settings : $settings];
    }
}
