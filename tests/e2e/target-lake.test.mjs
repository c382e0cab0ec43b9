import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { base, feed, launch, lighterman, open, signIn, sql, until, violations, write } from './harness.mjs';

let browser, page;
before(async () => {
    browser = await launch();
    page = await open(browser);
    await signIn(page);
});
after(async () => browser.close());

test('a lake that is not there is said, and the demo\'s lake passes its test', async () => {
    await page.goto(`${base}/systems/new?kind=lake`);
    await page.getByLabel('Name').fill('elsewhere');
    await page.getByLabel('Folder on this machine').fill('/srv/no/such/lake');
    await page.getByRole('button', { name: 'Add and test' }).press('Enter');
    await page.getByText('There is no folder /srv/no/such/lake on this machine.').waitFor();
    assert.deepEqual(await violations(page), []);
    await page.getByLabel('Type elsewhere to remove it').fill('elsewhere');
    await page.getByRole('button', { name: 'Remove system' }).click();
    await page.goto(`${base}/systems/lake`);
    await page.getByRole('button', { name: 'Test', exact: true }).click();
    await page.getByText('Parquet can be written').waitFor();
});

test('a lake feed with partitions is set up from the page and delivers', async () => {
    await page.goto(`${base}/feeds/new?source=weighbridge&target=lake`);
    await page.getByLabel('Tick public.pressings').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    assert.deepEqual(await page.getByLabel('Capture', { exact: true }).locator('option').allInnerTexts(), ['watermark', 'reload']);
    await page.getByLabel('Landed table', { exact: true }).fill('press.pressings');
    await page.getByLabel('Feed name').fill('pressings in the lake');
    await page.getByLabel('Partitions', { exact: true }).fill('week(started_at)');
    await page.keyboard.press('Tab');
    await page.getByText('"week(started_at)" does not name a partition').waitFor();
    await page.getByLabel('Partitions', { exact: true }).fill('month(started_at)');
    await page.keyboard.press('Tab');
    await page.getByText('Through the catalogue only').waitFor();
    assert.deepEqual(await violations(page), []);
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByText('Files land in').first().waitFor();
    await page.getByRole('button', { name: 'Start the feed' }).press('Enter');
    await until('it is on time', async () => (await feed('pressings in the lake')).state === 'on time');

    await page.goto(`${base}/landed/pressings%20in%20the%20lake`);
    await page.getByRole('link', { name: 'Count both sides' }).click();
    await page.getByText('the same number').waitFor();
    const months = Number(await sql('weighbridge', "SELECT count(DISTINCT to_char(started_at AT TIME ZONE 'UTC', 'YYYY-MM')) FROM pressings"));
    assert.equal(await page.getByRole('cell', { name: /^started_at_month=\d{4}-\d\d$/ }).count(), months);
    await page.fill('#k0', await sql('weighbridge', 'SELECT pressing_id FROM pressings ORDER BY 1 LIMIT 1'));
    await page.keyboard.press('Enter');
    await page.getByRole('cell', { name: 'recipe' }).first().waitFor();
    assert.equal(await page.locator('tr.differs').count(), 0);
    assert.deepEqual(await violations(page), []);
});

test('the lake is queried, the result drawn, and nothing else can be reached', async () => {
    await page.goto(`${base}/landed/sql?target=lake`);
    await write(page, 'SELECT started_at_month AS month, count(*) AS pressings FROM press.pressings GROUP BY 1 ORDER BY 1');
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await page.getByRole('img', { name: /pressings by month/ }).waitFor();
    await page.getByText(/, from \d+ of \d+ files/).waitFor();
    const counts = (await page.getByRole('region', { name: 'Result' }).locator('tbody tr td:last-child').allInnerTexts()).map(Number);
    assert.equal(counts.reduce((a, b) => a + b, 0), Number(await sql('weighbridge', 'SELECT count(*) FROM pressings')));
    assert.deepEqual(await violations(page), []);
    const download = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Download as CSV' }).click();
    assert.ok(await download);
    for (const [statement, said] of [["SELECT * FROM read_text('/etc/passwd')", 'Permission Error'], ['CREATE TABLE x (a int)', 'Only a query can be run here'], ['SELECT * FROM gate.nothing', 'does not exist']]) {
        await write(page, statement);
        await page.getByRole('button', { name: 'Run', exact: true }).press('Enter');
        await page.getByRole('alert').getByText(said).waitFor();
    }
});

test('what changes at the source lands in the lake with the next window', async () => {
    await until('the first load is in', async () => (await feed('loads in the lake')).state === 'on time' && Number((await feed('loads in the lake')).sequence ?? 1) > 0);
    await sql('weighbridge', "UPDATE loads SET ticket = 'T-LAKE', updated_at = clock_timestamp() WHERE load_id = 11");
    await new Promise((r) => setTimeout(r, 1500));
    await lighterman('feed:run', 'loads in the lake');
    await page.goto(`${base}/landed/loads%20in%20the%20lake?key%5Bload_id%5D=11`);
    await page.getByRole('cell', { name: 'T-LAKE' }).first().waitFor();
    assert.equal(await page.locator('tr.differs').count(), 0);
    assert.deepEqual(page.complaints, []);
});
