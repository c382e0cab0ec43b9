// Shows what the schedule fields around it come to, while they are typed.
export const preview = () => ({
    init() {
        const form = this.$root.closest('form');
        const names = ['schedule', 'every_minutes', 'pause_seconds', 'cron', 'zone'];
        let timer;
        const show = async () => {
            const query = new URLSearchParams(names.map((n) => [n, form.elements[n].value]));
            const answer = await fetch(`${this.$root.dataset.part}?${query}`);
            if (answer.ok) this.$root.innerHTML = await answer.text();
        };
        form.addEventListener('input', (e) => {
            if (!names.includes(e.target.name)) return;
            clearTimeout(timer);
            timer = setTimeout(show, 250);
        });
    },
});
