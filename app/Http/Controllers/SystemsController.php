<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\SystemBook;
use App\Models\RouteLog;
use App\Models\System;
use App\Runtime\Systems;
use App\Support\Audit;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\View\View;
use Lighterman\Core\Port\SystemTrouble;

final class SystemsController
{
    public function index(): View
    {
        return view('systems.index', ['systems' => System::withCount('routesFrom', 'routesTo')->orderBy('name')->get()]);
    }

    public function create(): View
    {
        return view('systems.form', ['system' => null, 'orphans' => []]);
    }

    public function show(System $system, Systems $systems): View
    {
        return view('systems.form', ['system' => $system, 'orphans' => $this->orphans($system, $systems)]);
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

            return array_values(array_filter($systems->slots($system)->all(), static fn (array $s): bool => ! in_array($s['name'], $known, true)));
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
        $systems->slots($system)->drop($slot);
        Audit::record('dropped the slot '.$slot.' of', 'system', $system->name);

        return redirect('/systems/'.rawurlencode($system->name))->with('done', "Slot {$slot} is dropped.");
    }

    public function store(Request $request, Systems $systems): RedirectResponse
    {
        [$name, $settings] = $this->given($request);
        $system = SystemBook::add($name, $settings, (string) $request->input('secret'));
        SystemBook::check($system, $systems);

        return redirect('/systems/'.rawurlencode($name))->with('done', "{$name} is added and was tested.");
    }

    public function update(Request $request, System $system, Systems $systems): RedirectResponse
    {
        [$name, $settings] = $this->given($request);
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

    /** @return array{string, array{host: string, port: int, database: string, user: string, tls: string}} */
    private function given(Request $request): array
    {
        $v = $request->validate([
            'name' => ['required', 'string', 'max:60', 'regex:/^[^\/?#]+$/'], 'host' => 'required|string|max:253', 'port' => 'required|integer|between:1,65535',
            'database' => 'required|string|max:63', 'user' => 'required|string|max:63', 'tls' => 'required|in:disable,prefer,require,verify-full',
        ], ['name.regex' => 'The name may not contain / ? or #.']);

        return [$v['name'], ['host' => $v['host'], 'port' => (int) $v['port'], 'database' => $v['database'], 'user' => $v['user'], 'tls' => $v['tls']]];
    }
}
