// Takes the pictures in docs/screenshots from the running demo: node tests/e2e/screenshots.mjs (LIGHTERMAN_VAR names another checkout's var).
process.env.LIGHTERMAN_VAR ??= 'var';
const { base, launch, open, signIn, sql, write } = await import('./harness.mjs');

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
await take('feed', '/feeds/growers?span=1h');
await page.goto(`${base}/feeds/loads?span=15m`);
await page.waitForTimeout(600);
const chart = await page.locator('svg.tide').boundingBox();
await page.mouse.move(chart.x + chart.width * 0.9, chart.y + chart.height / 2);
await take('log-feed');
await take('delay', '/feeds/loads/delay');
await take('route', '/routes/1');
// Only where the demo was started with --with-mariadb.
const cellar = await sql('lighterman', "SELECT r.id FROM routes r JOIN systems s ON s.id = r.source_id WHERE s.name = 'cellar'");
if (cellar) await take('triggers', `/routes/${cellar}?span=15m`);
const busiest = (await sql('warehouse', 'SELECT load_id FROM gate.loads_history GROUP BY 1 ORDER BY count(*) DESC, 1 DESC LIMIT 1')).trim();
await take('life', `/feeds/loads%20history/life?key%5Bload_id%5D=${busiest}`);
await take('system', '/systems/weighbridge');
await take('landed', '/landed/loads%20in%20the%20lake?count=1');
await take('forks', '/feeds/varieties/forks');
await page.goto(`${base}/feeds/growers/runs`);
await page.locator('tbody tr', { hasText: 'increment' }).first().getByRole('link').click();
await take('run');
await page.goto(`${base}/landed/sql?target=lake`);
await write(page, "SELECT strftime(arrived_at, '%Y-%m-%d') AS day, round(sum(gross_kg - tare_kg) / 1000) AS tonnes\nFROM gate.loads\nWHERE arrived_at_month = '2026-10'\nGROUP BY 1 ORDER BY 1");
await page.getByRole('button', { name: 'Run', exact: true }).click();
await take('sql');
await take('columns', '/feeds/growers/columns?line=2');
await page.goto(`${base}/feeds/orchards/rehearse`);
await page.getByLabel('or records of your own').fill('{"orchard_id": 3401, "grower_id": 418, "name": "Mill Leaze",\n "grid_e": 4180, "grid_n": 0, "hectares": 2.4}');
await page.getByRole('button', { name: 'Rehearse them' }).click();
await take('record');
await take('set-aside', '/feeds/orchards/set-aside');
await page.goto(`${base}/feeds/new?source=weighbridge&target=warehouse`);
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
