<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\SystemBook;
use App\Models\System;
use App\Runtime\Systems;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\View\View;

final class SystemsController
{
    public function index(): View
    {
        return view('systems.index', ['systems' => System::withCount('routesFrom', 'routesTo')->orderBy('name')->get()]);
    }

    public function create(): View
    {
        return view('systems.form', ['system' => null]);
    }

    public function show(System $system): View
    {
        return view('systems.form', ['system' => $system]);
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
