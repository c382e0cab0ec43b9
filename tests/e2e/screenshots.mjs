// Takes the pictures in docs/screenshots from the running demo: node tests/e2e/screenshots.mjs (LIGHTERMAN_VAR names another checkout's var).
process.env.LIGHTERMAN_VAR ??= 'var';
const { base, launch, open, signIn } = await import('./harness.mjs');

const browser = await launch();
const page = await open(browser);
const take = async (name, path) => {
    if (path) await page.goto(base + path);
    await page.waitForTimeout(600);
    await page.screenshot({ path: `docs/screenshots/${name}.png` });
};
await signIn(page);
await take('watch', '/watch');
await take('feeds', '/feeds');
await take('feed', '/feeds/loads?span=1h');
await take('system', '/systems/weighbridge');
await take('landed', '/landed/loads?count=1&key%5Bload_id%5D=59990');
await page.goto(`${base}/feeds/loads/runs`);
await page.locator('tbody tr', { hasText: 'increment' }).first().getByRole('link').click();
await take('run');
await page.goto(`${base}/landed/sql?target=warehouse`);
await page.fill('#sql', 'SELECT variety_code, count(*) AS loads, round(sum(gross_kg - tare_kg) / 1000) AS tonnes\nFROM gate.loads\nGROUP BY 1\nORDER BY 3 DESC');
await page.getByRole('button', { name: 'Run', exact: true }).click();
await take('sql');
await take('tables', '/feeds/new?source=weighbridge&target=warehouse');
for (const table of ['gate_log', 'load_samples', 'pressings', 'price_bands']) await page.getByLabel(`Tick public.${table}`).check();
await page.getByRole('button', { name: 'Next: grid' }).click();
await page.waitForURL('**/grid');
await take('grid');
await page.getByRole('button', { name: 'Next: rehearsal' }).click();
await page.waitForURL('**/rehearse');
await take('rehearsal');
await browser.close();

const dark = await launch();
const night = await open(dark, { colorScheme: 'dark' });
await signIn(night);
await night.waitForTimeout(600);
await night.screenshot({ path: 'docs/screenshots/watch-dark.png' });
await dark.close();
