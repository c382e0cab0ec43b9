<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\SystemBook;
use App\Models\RouteLog;
use App\Models\System;
use App\Runtime\Common\Systems;
use App\Support\Audit;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Validator;
use Illuminate\Support\Str;
use Illuminate\Validation\Rule;
use Illuminate\Validation\ValidationException;
use Lighterman\Connectors\Kinds\Connectors;
use Lighterman\Core\Port\Form\Form;
use Lighterman\Core\Trouble\SystemTrouble;

final class SystemsController
{
    public function index(): View
    {
        return view('systems.index', ['systems' => System::withCount('routesFrom', 'routesTo')->orderBy('name')->get()]);
    }

    public function create(Request $request): View
    {
        return view('systems.form', ['system' => null, 'connector' => Connectors::all()[(string) $request->string('kind', old('kind'))] ?? array_values(Connectors::all())[0], 'orphans' => []]);
    }

    public function show(System $system, Systems $systems): View
    {
        return view('systems.form', ['system' => $system, 'connector' => $system->connector(), 'orphans' => $this->orphans($system, $systems)]);
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
            $known = RouteLog::pluck('names')->flatMap(static fn (array $names): array => array_values($names))->all();

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
        $kind = $request->validate(['kind' => ['required', Rule::in(array_keys(Connectors::all()))]])['kind'];
        [$name, $settings] = $this->given($request, Connectors::named($kind)->form());
        $system = SystemBook::add($name, $settings, (string) $request->input('secret'), $kind);
        SystemBook::check($system, $systems);

        return redirect('/systems/'.rawurlencode($name))->with('done', "{$name} is added and was tested.");
    }

    public function update(Request $request, System $system, Systems $systems): RedirectResponse
    {
        [$name, $settings] = $this->given($request, $system->connector()->form());
        SystemBook::change($system, $name, $settings, $request->filled('secret') ? (string) $request->input('secret') : null);
        SystemBook::check($system->refresh(), $systems);

        return redirect('/systems/'.rawurlencode($name))->with('done', 'Saved and tested.');
    }

    public function check(System $system, Systems $systems): RedirectResponse
    {
        SystemBook::check($system, $systems);

        return redirect('/systems/'.rawurlencode($system->name))->with('done', 'Tested.');
    }

    /** Gives people's queries an account of their own: made here by an administrator, or made already. */
    public function ask(Request $request, System $system, Systems $systems): RedirectResponse
    {
        $made = $request->input('act') === 'made';
        $given = $request->validate(['asker_user' => 'required|string|max:63|regex:/^[A-Za-z_][A-Za-z0-9_$-]*$/', 'asker_secret' => ($made ? 'required' : 'nullable').'|string|max:200', 'administrator' => 'nullable|string|max:63', 'administrator_secret' => 'nullable|string|max:200', 'act' => 'required|in:make,made'],
            ['asker_user.regex' => 'The name of the account has letters, digits and _ only.', 'asker_secret.required' => 'Type the password that the account was given.']);
        SystemBook::ask($system, $given['asker_user'], ($given['asker_secret'] ?? '') !== '' ? $given['asker_secret'] : Str::random(32), $made ? null : [($given['administrator'] ?? '') !== '' ? $given['administrator'] : null, (string) ($given['administrator_secret'] ?? '')], $systems);

        return redirect('/systems/'.rawurlencode($system->name))->with('done', $system->refresh()->mayBeAsked() ? "People's queries of {$system->name} run as {$given['asker_user']}." : "{$given['asker_user']} is entered, and may do too much.");
    }

    public function askNoMore(System $system): RedirectResponse
    {
        SystemBook::askNoMore($system);

        return redirect('/systems/'.rawurlencode($system->name))->with('done', "Nobody queries {$system->name} here any more. The account itself is still there.");
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
    private function given(Request $request, Form $form): array
    {
        $name = Validator::make($request->all(), ['name' => ['required', 'string', 'max:60', 'regex:/^[^\/?#]+$/']], ['name.regex' => 'The name may not contain / ? or #.']);
        $faults = $name->errors()->messages() + array_map(static fn (string $fault): array => [$fault], $form->faults($request->all()));

        return $faults === [] ? [$request->string('name')->toString(), $form->read($request->all())] : throw ValidationException::withMessages($faults);
    }
}
