import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { after, before, test } from 'node:test';
import { base, feed, launch, lighterman, open, signIn, sql, traffic, until, write } from './harness.mjs';

let browser, page;
before(async () => {
    browser = await launch();
    page = await open(browser);
});
after(() => browser.close());

test('a wrong password is refused, and the name stays typed', async () => {
    await page.goto(base);
    await page.fill('#name', 'engineer');
    await page.fill('#password', 'not the password');
    await page.click('button.primary');
    await page.getByRole('alert').waitFor();
    assert.match(await page.getByRole('alert').innerText(), /do not belong together/);
    assert.equal(await page.inputValue('#name'), 'engineer');
});

test('after signing in, Watch shows the demo\'s feeds on time', async () => {
    await signIn(page);
    await until('all demo feeds are on time', async () => {
        const text = await page.locator('#lanes').innerText();
        return ['loads', 'loads history', 'gate journal', 'growers', 'orchards', 'varieties', 'prices', 'loads in the lake', 'gate log in the lake', 'load versions in the lake', 'yeast counts'].every((f) => text.includes(f)) && /11 on time/.test(text);
    });
});

test('a system is tested, and the findings are listed', async () => {
    await page.goto(`${base}/systems/weighbridge`);
    await page.getByRole('button', { name: 'Test', exact: true }).click();
    await page.getByText('All tables may be read').waitFor();
    const findings = await page.locator('.finding').allInnerTexts();
    assert.ok(findings.some((f) => /passed/.test(f) && /Open transactions/.test(f)), 'sees open transactions');
    assert.ok(findings.some((f) => /passed/.test(f) && /replicate/.test(f)), 'says whether the log can be read');
    assert.ok(findings.some((f) => /failed/.test(f) && /may not create schemas/.test(f)), 'cannot serve as a target');
});

test('tables are ticked by pattern, a click shows fifty rows', async () => {
    await page.goto(`${base}/feeds/new?source=weighbridge&target=warehouse`);
    await page.fill('#pattern', 'load_s*');
    await page.getByRole('button', { name: 'Tick by pattern' }).click();
    await page.getByLabel('Tick public.gate_log').check();
    await page.getByLabel('Tick public.price_bands').check();
    assert.equal(await page.locator('tbody input:checked').count(), 3);
    await page.getByRole('row', { name: /gate_log/ }).getByRole('link', { name: '50 rows' }).click();
    await page.locator('.drawer tbody tr').first().waitFor();
    assert.equal(await page.locator('.drawer tbody tr').count(), 50);
    await page.keyboard.press('Escape');
    await page.locator('.drawer').waitFor({ state: 'hidden' });
    await page.getByRole('button', { name: 'Next: grid' }).click();
    await page.waitForURL('**/feeds/new/grid');
});

const line = (table) => page.locator('tr[data-line]', { hasText: table });
const advice = (table) => page.locator(`tr[data-line]:has-text("${table}") + tr.advice`);

test('the grid suggests with reasons, and judges every choice', async () => {
    assert.equal(await line('public.gate_log').getByLabel('Watermark').inputValue(), 'entry_id');
    assert.equal(await line('public.gate_log').getByLabel('Landing').inputValue(), 'append');
    assert.equal(await line('public.price_bands').getByLabel('Capture').inputValue(), 'reload', 'nulls in a small table: a reload is cheaper than a loss');
    assert.match(await advice('public.load_samples').innerText(), /3.000 rows without updated_at would never be carried/);

    await line('public.gate_log').getByLabel('Watermark').selectOption('plate');
    await page.waitForFunction(() => document.body.innerText.includes('plate is text'));
    await line('public.gate_log').getByLabel('Watermark').selectOption('entry_id');
    await until('the refusal is gone', async () => !/plate is text/.test(await advice('public.gate_log').innerText()));

    await line('public.load_samples').getByLabel('Key').fill('load_id');
    await line('public.load_samples').getByLabel('Key').blur();
    await until('half a key is refused with the duplicate', async () => /more than one row has load_id = \d+/.test(await advice('public.load_samples').innerText()));
    await line('public.load_samples').getByLabel('Key').fill('load_id, sample_no');
    await line('public.load_samples').getByLabel('Key').blur();
    await until('the whole key is taken', async () => /Exactly once, in effect/.test(await advice('public.load_samples').innerText()));
    assert.match(await advice('public.load_samples').innerText(), /Deletes are not seen/);
});

test('the rehearsal shows the statement and the rows, and writes nothing', async () => {
    await page.selectOption('#schedule', 'cron');
    await page.fill('#cron', '*/10 6-20 * * 1-5');
    await page.getByText('every 10 minutes from 06:00 to 20:59 on Monday to Friday').waitFor();
    const words = await page.locator('[x-data=preview]').innerText();
    assert.equal(words.split('Next:')[1].match(/\d\d:\d\d/g).length, 5, words);
    await page.fill('#cron', '99 * * * *');
    await page.getByText('"99 * * * *" is not a cron expression').waitFor();
    await page.fill('#cron', '');
    await page.selectOption('#schedule', 'continuous');
    await page.fill('#pause', '1');
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByText('nothing is written yet').waitFor();
    assert.match(await page.locator('pre.sql').first().innerText(), /CREATE TABLE "weighbridge"\./);
    assert.ok((await page.locator('section', { hasText: 'gate_log' }).locator('tbody tr').count()) >= 8);
    assert.equal(await sql('warehouse', "SELECT count(*) FROM pg_tables WHERE schemaname = 'weighbridge'"), '0');
});

test('started feeds load, become on time, and the copy is equal', async () => {
    await page.getByRole('button', { name: 'Start 3 feeds' }).click();
    await page.waitForURL('**/watch');
    await until('the three are on time', async () => (await Promise.all(['gate_log', 'load_samples', 'price_bands'].map(feed))).every((f) => f.state === 'on time'));
    for (const [table, where] of [['gate_log', 'true'], ['load_samples', 'updated_at IS NOT NULL'], ['price_bands', 'true']]) {
        const columns = await sql('weighbridge', `SELECT string_agg(column_name, ', ' ORDER BY ordinal_position) FROM information_schema.columns WHERE table_schema = 'public' AND table_name = '${table}'`);
        const sum = (from, w) => `SELECT count(*) || ' ' || coalesce(sum(hashtextextended(t::text, 0)), 0) FROM (SELECT ${columns} FROM ${from} WHERE ${w}) t`;
        assert.equal(await sql('warehouse', sum(`weighbridge.${table}`, 'true')), await sql('weighbridge', sum(`public.${table}`, where)), table);
    }
});

test('a change at the source arrives, and the page shows it without a reload', async () => {
    await page.goto(`${base}/feeds/gate_log`);
    await page.locator('#feed table tbody tr').first().waitFor();
    await sql('weighbridge', "INSERT INTO gate_log (seen_at, plate, direction, lane) VALUES (now(), 'AM00 NEW', 'i', 1)");
    await until('the row is in the warehouse', async () => (await sql('warehouse', "SELECT count(*) FROM weighbridge.gate_log WHERE plate = 'AM00 NEW'")) === '1');
    const run = (await feed('gate_log')).runs.find((r) => r.inserted === 1 && r.read === 1);
    await page.getByRole('link', { name: `#${run.id}` }).waitFor({ timeout: 10000 });
    await page.getByRole('link', { name: `#${run.id}` }).click();
    await page.getByText('read = delivered + unchanged + dropped + set aside').waitFor();
    assert.match(await page.locator('.page').innerText(), /1 = 1 \+ 0 \+ 0 \+ 0 ✓/);
    assert.match(await page.locator('.page').innerText(), /Each receipt begins where the one before it ended/);
});

test('a row committed late and rows with the same microsecond are not missed', async () => {
    const late = traffic('late-commit', '6');
    await new Promise((r) => setTimeout(r, 2000));
    await traffic('equal-stamps', '300');
    await late;
    await until('loads is complete past the commit', async () => {
        const equal = 'SELECT count(*), sum(hashtextextended(concat_ws(chr(1), load_id, ticket, gross_kg, tare_kg, status, updated_at), 0)) FROM';
        return (await sql('warehouse', `${equal} gate.loads`)) === (await sql('weighbridge', `${equal} loads`));
    });
});

test('landed rows are counted, compared by key, and queried', async () => {
    await page.goto(`${base}/landed/load_samples`);
    await page.getByRole('link', { name: 'Count both sides' }).click();
    await page.getByText(/fewer landed/).waitFor();
    await page.fill('#k0', '7');
    await page.fill('#k1', '2');
    await page.keyboard.press('Enter');
    await page.getByRole('cell', { name: 'sugar_oe' }).first().waitFor();
    assert.equal(await page.locator('tr.differs').count(), 0);

    await page.getByRole('link', { name: 'SQL', exact: true }).click();
    await write(page, 'SELECT direction, count(*) FROM weighbridge.gate_log GROUP BY 1 ORDER BY 1');
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await page.getByRole('columnheader', { name: 'direction' }).waitFor();
    assert.equal(await page.getByRole('region', { name: 'Result' }).locator('tbody tr').count(), 2);
    const download = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Download as CSV' }).click();
    assert.match(readFileSync(await (await download).path(), 'utf8'), /^direction,count\r\ni,\d+\r\no,\d+\r\n$/);

    await write(page, 'DELETE FROM weighbridge.gate_log');
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await page.getByRole('alert').waitFor();
    await write(page, 'SELECT pg_sleep(60)');
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await page.getByText('may have an effect, or wait').waitFor();
    await write(page, 'SELECT count(*) FROM generate_series(1, 100000000) a, generate_series(1, 1000) b');
    const started = Date.now();
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await page.getByText(/time limit/).waitFor({ timeout: 30000 });
    assert.ok(Date.now() - started < 25000);
    assert.ok(Number(await sql('warehouse', 'SELECT count(*) FROM weighbridge.gate_log')) > 200000, 'nothing was deleted');
});

test('a table that changes its shape holds the feed; put back, it is resumed and nothing is lost', async () => {
    await traffic('column-added');
    // The log tells of a new shape with the next change.
    await sql('weighbridge', 'UPDATE loads SET gross_kg = gross_kg + 1, updated_at = now() WHERE load_id <= 10');
    await until('loads is held', async () => (await feed('loads')).state === 'held');
    await page.goto(`${base}/feeds/loads`);
    await page.getByText('Column moisture_pct (decimal(4,1)) is new.').waitFor();
    await page.goto(`${base}/decisions`);
    await page.locator('main').getByRole('link', { name: 'loads', exact: true }).waitFor();
    await sql('weighbridge', 'UPDATE loads SET gross_kg = gross_kg + 1, updated_at = now() WHERE load_id <= 10');
    await traffic('column-removed');
    for (const name of ['loads', 'loads history']) await page.locator('main tr', { has: page.getByRole('link', { name, exact: true }) }).getByRole('button', { name: 'Resume' }).click();
    await until('loads goes on', async () => (await feed('loads')).state === 'on time');
    await until('the lake\'s copy by the log is held too', async () => (await feed('load versions in the lake')).state === 'held');
    await lighterman('feed:resume', 'load versions in the lake');
    // Only a window that was read while the column was there holds this one.
    if ((await feed('loads in the lake')).state === 'held') await lighterman('feed:resume', 'loads in the lake');
    await until('the lake\'s copies go on', async () => (await feed('load versions in the lake')).state === 'on time' && (await feed('loads in the lake')).state === 'on time');
    const ten = 'SELECT sum(gross_kg) FROM';
    await until('the ten changes have landed', async () => (await sql('warehouse', `${ten} gate.loads WHERE load_id <= 10`)) === (await sql('weighbridge', `${ten} loads WHERE load_id <= 10`)));
});

test('feeds are walked, ticked and paused by keyboard', async () => {
    await page.goto(`${base}/feeds`);
    await page.keyboard.press('/');
    assert.equal(await page.evaluate(() => document.activeElement.id), 'find');
    await page.keyboard.press('Escape');
    await page.locator('tbody tr').first().focus();
    const walked = () => page.evaluate(() => document.activeElement.dataset.text ?? '');
    for (let down = 0; down < 12 && !(await walked()).startsWith('growers'); down++) await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Space');
    await page.getByRole('button', { name: 'Pause' }).focus();
    await page.keyboard.press('Enter');
    await page.getByRole('status').waitFor();
    assert.match(await page.getByRole('status').innerText(), /growers is paused/);
    assert.equal((await feed('growers')).state, 'paused');
    await page.getByLabel('Tick growers').check();
    await page.getByRole('button', { name: 'Resume' }).click();
    await page.getByText('growers is resumed').waitFor();
});

test('the audit trail names who did what', async () => {
    await page.goto(`${base}/audit`);
    const text = await page.getByRole('table', { name: 'Audit trail' }).innerText();
    for (const said of ['created', 'paused', 'resumed', 'signed in']) assert.ok(text.includes(said), said);
    assert.deepEqual(page.complaints, []);
});
