const typing = (e) => /INPUT|SELECT|TEXTAREA/.test(e.target.tagName) || e.target.isContentEditable;

// Keys that work on every page: / finds, ? lists keys, Esc closes.
export const keys = () => ({
    open: false,
    init() {
        document.addEventListener('keydown', (e) => {
            if (e.ctrlKey || e.metaKey || e.altKey) return;
            if (e.key === 'Escape') {
                this.open = false;
                document.querySelectorAll('details[open]').forEach((d) => (d.open = false));
            }
            if (typing(e)) return;
            if (e.key === '/') {
                e.preventDefault();
                document.getElementById('find')?.focus();
            }
            if (e.key === '?') this.open = !this.open;
        });
    },
    toggle() {
        this.open = !this.open;
    },
});

export const find = () => ({
    leave() {
        this.$el.blur();
    },
});
