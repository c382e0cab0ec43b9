// The SQL page: an editor that knows the names there are, and a query that can be stopped. Without this the page works by its form.
export const sql = () => ({
    editor: null,
    run: null,
    async init() {
        const form = this.$root.querySelector('[data-statement]');
        const text = form.querySelector('#sql');
        const target = form.querySelector('#target');
        const { editor } = await import('./editor.js');
        this.editor = editor(text.parentNode, text.value, { onChange: (typed) => this.copy(form, typed), onRun: () => form.requestSubmit(form.querySelector('[data-run]')) });
        text.hidden = true;
        text.required = false;
        target.addEventListener('change', () => this.aim(target.value));
        this.aim(target.value);
        this.copy(form, text.value);
        this.$root.querySelector('[data-find]').addEventListener('input', () => this.aim(target.value));
        this.$root.addEventListener('click', (e) => {
            const name = e.target.closest('[data-insert]')?.dataset.insert;
            if (name) this.editor.insert(name);
        });
        form.addEventListener('submit', (e) => {
            // A download is left to the browser.
            if (e.submitter?.name === 'as') return;
            e.preventDefault();
            this.ask(form);
        });
        form.querySelector('[data-stop]').addEventListener('click', () => this.stop(form));
    },
    // What is written is what the forms send.
    copy(form, text) {
        form.querySelector('#sql').value = text;
        const save = this.$root.querySelector('[data-save]');
        save.querySelector('[name=sql]').value = text;
        save.querySelector('[name=target]').value = form.querySelector('#target').value;
    },
    // Only tables of the chosen system are shown and completed.
    aim(system) {
        const wanted = this.$root.querySelector('[data-find]').value.trim().toLowerCase().split(/\s+/);
        const tables = {};
        for (const item of this.$root.querySelectorAll('[data-system]')) {
            const own = item.dataset.system === system;
            item.hidden = !own || !wanted.every((w) => item.dataset.text.toLowerCase().includes(w));
            if (own) tables[item.querySelector('summary').textContent.replaceAll('"', '')] = [...item.querySelectorAll('dt')].map((c) => c.textContent);
        }
        this.editor.know(tables);
        this.$root.querySelector('[data-save] [name=target]').value = system;
    },
    async ask(form) {
        if (this.run) return;
        this.run = crypto.randomUUID();
        const begun = performance.now();
        const clock = form.querySelector('[data-clock]');
        const tick = setInterval(() => (clock.textContent = `${((performance.now() - begun) / 1000).toFixed(1)} s`), 100);
        this.busy(form, true);
        const body = new FormData(form);
        body.append('run', this.run);
        const answer = await fetch(form.action, { method: 'POST', body, headers: { 'X-Part': 'result', Accept: 'text/html' } }).catch(() => null);
        clearInterval(tick);
        clock.textContent = '';
        this.run = null;
        this.busy(form, false);
        // What is refused before it is run, and a session that has ended, are told by the whole page.
        if (!answer?.ok || answer.redirected) return HTMLFormElement.prototype.submit.call(form);
        this.$root.querySelector('[data-result]').innerHTML = await answer.text();
    },
    async stop(form) {
        if (!this.run) return;
        const body = new FormData();
        body.append('_token', form.querySelector('[name=_token]').value);
        body.append('run', this.run);
        form.querySelector('[data-stop]').disabled = true;
        await fetch(`${form.action}/stop`, { method: 'POST', body, headers: { Accept: 'application/json' } });
    },
    busy(form, on) {
        form.querySelector('[data-run]').disabled = on;
        form.querySelector('[data-idle]').hidden = on;
        form.querySelector('[data-stop]').hidden = !on;
        form.querySelector('[data-stop]').disabled = false;
    },
});
