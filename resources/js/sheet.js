// The column sheet: what is typed in a line's form is kept and computed at once, and only columns that are looked for are shown.
export const sheet = () => ({
    timer: null,
    turn: 0,
    init() {
        this.$root.querySelector('[data-filter]')?.addEventListener('input', (e) => this.filter(e.target.value));
        const form = this.$root.querySelector('[data-line-form]');
        if (!form) return;
        form.addEventListener('input', () => {
            clearTimeout(this.timer);
            this.timer = setTimeout(() => this.keep(form), 120);
        });
        // Which fields a step has depends on how it is done.
        form.addEventListener('change', (e) => /\[mask\]$|^drop$/.test(e.target.name) && form.requestSubmit());
        document.addEventListener('keydown', (e) => e.key === 'Escape' && this.$root.querySelector('[data-close]')?.click());
    },
    filter(typed) {
        const wanted = typed.trim().toLowerCase().split(/\s+/);
        for (const line of this.$root.querySelectorAll('tbody tr[data-text]')) line.hidden = !wanted.every((w) => line.dataset.text.toLowerCase().includes(w));
    },
    async keep(form) {
        const turn = ++this.turn;
        const answer = await fetch(form.action, { method: 'POST', body: new FormData(form), headers: { Accept: 'application/json' } });
        if (turn !== this.turn) return;
        const told = answer.ok ? await answer.json() : { error: 'Not kept: the server did not answer. It is tried again with the next change.' };
        this.$root.querySelector('#line-error').textContent = told.error ?? '';
        if (told.error) return;
        const ticked = [...this.$root.querySelectorAll('#sheet-part input:checked')].map((i) => i.value);
        for (const [id, html] of [['sheet-part', told.sheet], ['sheet-title', told.title], ['sheet-below', told.below], ['line-result', told.result]]) this.$root.querySelector(`#${id}`).innerHTML = html;
        for (const value of ticked) this.$root.querySelector(`#sheet-part input[value="${value}"]`).checked = true;
        this.filter(this.$root.querySelector('[data-filter]').value);
    },
});

// A choice that goes on by itself.
export const submits = () => ({
    init() {
        this.$root.addEventListener('change', () => this.$root.form.requestSubmit());
    },
});
