<svg width="0" height="0" style="position: absolute" aria-hidden="true">
    <symbol id="m-on-time" viewBox="0 0 14 14"><circle cx="7" cy="7" r="5" fill="currentColor"/></symbol>
    <symbol id="m-late" viewBox="0 0 14 14"><path d="M7 1L13 12H1Z" fill="currentColor"/></symbol>
    <symbol id="m-failed" viewBox="0 0 14 14"><rect x="1.5" y="1.5" width="11" height="11" fill="currentColor"/><path d="M4.5 4.5L9.5 9.5M9.5 4.5L4.5 9.5" stroke="var(--sheet)" stroke-width="1.7"/></symbol>
    <symbol id="m-held" viewBox="0 0 14 14"><path d="M7 1.5L12.5 7L7 12.5L1.5 7Z" fill="none" stroke="currentColor" stroke-width="2"/></symbol>
    <symbol id="m-loading" viewBox="0 0 14 14"><circle cx="7" cy="7" r="5" fill="none" stroke="currentColor" stroke-width="1.6"/><path d="M7 2A5 5 0 0 1 7 12Z" fill="currentColor"/></symbol>
    <symbol id="m-paused" viewBox="0 0 14 14"><path d="M4 2.5V11.5M10 2.5V11.5" stroke="currentColor" stroke-width="3"/></symbol>
    <symbol id="m-new" viewBox="0 0 14 14"><circle cx="7" cy="7" r="4.5" fill="none" stroke="currentColor" stroke-width="1.8"/></symbol>
</svg>
