// A table that is filtered by typing, sorted by its heads, ticked in bulk, and walked with the arrow keys.
export const rows = () => ({
    typed: '',
    pattern: '',
    ticked: 0,
    shown: 0,
    init() {
        this.count();
        this.$root.addEventListener('keydown', (e) => this.walk(e));
        this.$root.addEventListener('change', () => this.count());
        this.$watch('typed', () => this.filter());
    },
    lines() {
        return [...this.$root.querySelectorAll('tbody tr[data-text]')];
    },
    filter() {
        const wanted = this.typed.trim().toLowerCase().split(/\s+/);
        for (const line of this.lines()) line.hidden = !wanted.every((w) => line.dataset.text.toLowerCase().includes(w));
        this.count();
    },
    count() {
        this.shown = this.lines().filter((l) => !l.hidden).length;
        this.ticked = this.$root.querySelectorAll('tbody input[type=checkbox]:checked').length;
    },
    tick(on) {
        for (const line of this.lines()) if (!line.hidden) line.querySelector('input[type=checkbox]').checked = on;
        this.count();
    },
    tickShown() {
        this.tick(true);
    },
    tickNone() {
        this.lines().forEach((l) => (l.querySelector('input[type=checkbox]').checked = false));
        this.count();
    },
    // A pattern has * for any run of characters and ? for one, as in file names.
    tickPattern() {
        const source = this.pattern.trim().replace(/[.+^${}()|[\]\\]/g, '\\$&').replace(/\*/g, '.*').replace(/\?/g, '.');
        if (!source) return;
        const test = new RegExp(`^${source}$`, 'i');
        for (const line of this.lines()) if (test.test(line.dataset.name) || test.test(line.dataset.name.split('.').pop())) line.querySelector('input[type=checkbox]').checked = true;
        this.count();
    },
    sort(e) {
        const head = e.target.closest('th');
        const place = [...head.parentNode.children].indexOf(head);
        const down = head.getAttribute('aria-sort') === 'ascending';
        head.parentNode.querySelectorAll('th').forEach((h) => h.removeAttribute('aria-sort'));
        head.setAttribute('aria-sort', down ? 'descending' : 'ascending');
        const value = (l) => l.children[place].dataset.v ?? l.children[place].textContent.trim();
        const sorted = this.lines().sort((a, b) => {
            const [x, y] = [value(a), value(b)];
            const order = x !== '' && y !== '' && !isNaN(x) && !isNaN(y) ? x - y : x.localeCompare(y);
            return down ? -order : order;
        });
        sorted.forEach((l) => l.parentNode.append(l));
    },
    walk(e) {
        const line = e.target.closest('tr[tabindex]');
        if (!line || e.target !== line) return;
        const open = this.lines().filter((l) => !l.hidden);
        const at = open.indexOf(line);
        if (e.key === 'ArrowDown') open[at + 1]?.focus();
        else if (e.key === 'ArrowUp') open[at - 1]?.focus();
        else if (e.key === 'Enter') line.querySelector('a, button')?.click();
        else if (e.key === ' ') {
            const box = line.querySelector('input[type=checkbox]');
            if (!box) return;
            box.checked = !box.checked;
            this.count();
        } else return;
        e.preventDefault();
    },
});

// A sheet on the right that shows a fragment of another page.
export const drawer = () => ({
    html: '',
    open: false,
    opener: null,
    init() {
        document.addEventListener('keydown', (e) => e.key === 'Escape' && this.close());
        document.addEventListener('click', (e) => {
            const link = e.target.closest('[data-drawer]');
            if (!link) return;
            e.preventDefault();
            this.show(link);
        });
    },
    async show(link) {
        this.opener = link;
        const answer = await fetch(link.dataset.drawer, { headers: { 'X-Part': 'drawer' } });
        this.$refs.body.innerHTML = await answer.text();
        this.open = true;
        this.$nextTick(() => this.$refs.close.focus());
    },
    close() {
        if (!this.open) return;
        this.open = false;
        this.opener?.focus();
    },
});
