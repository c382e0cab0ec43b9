// Refreshes a part of the page every two seconds from its own address, and rests while the tab is hidden.
export const live = () => ({
    timer: null,
    init() {
        this.timer = setInterval(() => this.refresh(), 2000);
    },
    destroy() {
        clearInterval(this.timer);
    },
    async refresh() {
        const within = this.$el;
        const walked = within.querySelector('.spot.at')?.getAttribute('href');
        // Nothing is pulled away from under a pointer menu or a typing hand.
        if (document.hidden || within.contains(document.activeElement) && /INPUT|SELECT|TEXTAREA|BUTTON/.test(document.activeElement.tagName)) return;
        let answer;
        try {
            answer = await fetch(within.dataset.part, { headers: { 'X-Part': within.id } });
        } catch {
            return within.setAttribute('data-stale', '');
        }
        if (answer.status === 401 || answer.redirected) return location.reload();
        if (!answer.ok) return within.setAttribute('data-stale', '');
        within.removeAttribute('data-stale');
        const html = await answer.text();
        if (html === this.last) return;
        this.last = html;
        const focused = within.contains(document.activeElement) ? document.activeElement.getAttribute('href') ?? document.activeElement.dataset.href : null;
        within.innerHTML = html;
        if (walked) {
            within.querySelector(`.spot[href="${CSS.escape(walked)}"]`)?.classList.add('at');
            within.querySelector('[data-walk]')?.focus();
        }
        if (focused) within.querySelector(`[href="${CSS.escape(focused)}"], [data-href="${CSS.escape(focused)}"]`)?.focus();
    },
});
