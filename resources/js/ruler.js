// Walks the marks of the ruler with the arrow keys: many marks lie too close together to be stops of their own.
export const ruler = () => {
    document.addEventListener('keydown', (e) => {
        const scale = e.target.closest?.('[data-walk]');
        if (!scale || !['ArrowLeft', 'ArrowRight', 'Enter'].includes(e.key)) return;
        const marks = [...scale.querySelectorAll('.spot')].sort((a, b) => parseFloat(a.style.left) - parseFloat(b.style.left));
        const at = marks.findIndex((m) => m.classList.contains('at'));
        if (e.key === 'Enter') return marks[at]?.click();
        const next = marks[e.key === 'ArrowRight' ? Math.min(at + 1, marks.length - 1) : Math.max(at - 1, 0)];
        marks.forEach((m) => m.classList.toggle('at', m === next));
        scale.querySelector('[data-said]').textContent = next?.querySelector('.tip').textContent ?? '';
        e.preventDefault();
    });
};
