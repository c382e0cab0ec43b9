// The grid of new feeds: every change is sent to be judged, and the advice and guarantee of the lines come back.
export const grid = () => ({
    timer: null,
    busy: false,
    turn: 0,
    init() {
        this.$root.addEventListener('change', (e) => {
            if (e.target.closest('[data-all]')) return this.all(e.target);
            let line = e.target.closest('tr');
            while (line && !line.matches('[data-line]')) line = line.previousElementSibling;
            if (line) this.judge([line]);
        });
    },
    // A line, its advice, and how its files are read and written.
    rows(line) {
        const rows = [line];
        for (let row = line.nextElementSibling; row && !row.matches('[data-line]'); row = row.nextElementSibling) rows.push(row);
        return rows;
    },
    lines() {
        return [...this.$root.querySelectorAll('tr[data-line]')];
    },
    // Sets one field of every ticked line, or of all lines when none is ticked.
    all(field) {
        const ticked = this.lines().filter((l) => l.querySelector('[data-tick]').checked);
        const changed = [];
        for (const line of ticked.length ? ticked : this.lines()) {
            const one = this.rows(line).map((row) => row.querySelector(`[data-field="${field.dataset.all}"]`)).find(Boolean);
            if (!one || field.value === '') continue;
            if (one.tagName === 'SELECT' && ![...one.options].some((o) => o.value === field.value)) continue;
            one.value = field.value;
            changed.push(line);
        }
        field.value = '';
        if (changed.length) this.judge(changed);
    },
    async judge(lines) {
        this.busy = true;
        const turn = ++this.turn;
        for (const line of lines) line.dataset.turn = turn;
        const form = this.$root.closest('form') ?? this.$root.querySelector('form');
        const body = new FormData();
        body.append('_token', form.querySelector('[name=_token]').value);
        for (const name of ['source', 'target']) body.append(name, form.querySelector(`[name=${name}]`).value);
        for (const line of lines) for (const row of this.rows(line)) for (const input of row.querySelectorAll('[name]')) body.append(input.name, input.value);
        const answer = await fetch(this.$root.dataset.judge, { method: 'POST', body, headers: { Accept: 'application/json' } });
        this.busy = false;
        if (!answer.ok) return;
        for (const [number, html] of Object.entries(await answer.json())) {
            const advice = this.$root.querySelector(`[data-advice="${number}"]`);
            // An answer that is overtaken by a later choice is not shown.
            if (advice.closest('tr').previousElementSibling.dataset.turn === String(turn)) advice.innerHTML = html;
        }
    },
});
