// Reads a delay off the tide chart: at the pointed time, how long before the change that is landing then was committed.
// The drawing is renewed every two seconds, so the place pointed at is kept outside of it.
let pointed = null;

const clock = (t, zone) => new Intl.DateTimeFormat('en-GB', { timeZone: zone, hour: '2-digit', minute: '2-digit', second: '2-digit' }).format(new Date(t * 1000));
const span = (s) => (s < 10 ? `${s.toFixed(1)} s` : s < 60 ? `${Math.round(s)} s` : s < 3600 ? `${Math.floor(s / 60)} min ${String(Math.round(s % 60)).padStart(2, '0')} s` : `${Math.floor(s / 3600)} h ${String(Math.floor((s % 3600) / 60)).padStart(2, '0')} min`);

export const tide = () => ({
    init() {
        this.chart = JSON.parse(this.$root.dataset.tide);
        this.svg = this.$root.querySelector('svg');
        if (!this.svg) return;
        this.svg.addEventListener('pointermove', (e) => {
            const box = this.svg.getBoundingClientRect();
            pointed = ((e.clientX - box.left) / box.width) * 892;
            this.read();
        });
        this.svg.addEventListener('pointerleave', () => {
            pointed = null;
            this.svg.querySelector('[data-reading]').setAttribute('hidden', '');
        });
        if (pointed !== null) this.read();
    },
    // The value of one of the lines at a time, or the first time at which it had reached a value.
    at(time, which) {
        const p = this.chart.points;
        for (let i = 1; i < p.length; i++) {
            if (p[i][0] >= time) {
                const part = p[i][0] === p[i - 1][0] ? 1 : (time - p[i - 1][0]) / (p[i][0] - p[i - 1][0]);
                return p[i - 1][which] + part * (p[i][which] - p[i - 1][which]);
            }
        }
        return p[p.length - 1][which];
    },
    reached(value, which) {
        const p = this.chart.points;
        for (let i = 1; i < p.length; i++) {
            if (p[i][which] >= value && p[i][which] > p[i - 1][which]) return p[i - 1][0] + Math.max(0, (value - p[i - 1][which]) / (p[i][which] - p[i - 1][which])) * (p[i][0] - p[i - 1][0]);
        }
        return null;
    },
    read() {
        const c = this.chart;
        const g = this.svg.querySelector('[data-reading]');
        const landed = c.since + ((Math.min(Math.max(pointed, c.left), c.right) - c.left) / (c.right - c.left)) * (c.until - c.since);
        const count = this.at(landed, 2);
        const made = this.reached(count, 1);
        if (made === null || count <= 0) return g.setAttribute('hidden', '');
        const x = (t) => c.left + ((t - c.since) / (c.until - c.since)) * (c.right - c.left);
        const y = c.bottom - (count / c.most) * (c.bottom - c.top);
        const [x1, x2] = [x(Math.min(made, landed)), x(landed)];
        const set = (el, values) => Object.entries(values).forEach(([k, v]) => el.setAttribute(k, v));
        const [line, ...ends] = g.querySelectorAll('line');
        set(line, { x1, x2, y1: y, y2: y });
        ends.forEach((end, i) => set(end, { x1: [x1, x2][i], x2: [x1, x2][i], y1: y - 5, y2: y + 5 }));
        const left = Math.min(Math.max(x1 - 200, c.left), c.right - 190);
        const top = Math.max(4, y - 54);
        set(g.querySelector('.tip-box'), { x: left, y: top });
        const [one, two] = [g.querySelector('.tip-one'), g.querySelector('.tip-two')];
        set(one, { x: left + 10, y: top + 16 });
        set(two, { x: left + 10, y: top + 32 });
        one.textContent = `made at ${clock(made, c.zone)}`;
        // A delay shorter than a step of the lines cannot be read off them.
        two.textContent = landed - made < c.bin ? `landed less than ${span(c.bin)} later` : `landed ${span(landed - made)} later`;
        g.removeAttribute('hidden');
    },
});
