import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { base, engineersPage, feed, lighterman, sql, until, violations } from './harness.mjs';

let page;
before(async () => (page = await engineersPage()));
after(() => page.context().browser().close());

const same = async (columns, table, copy) => {
    const sum = `SELECT count(*) || ' ' || coalesce(sum(hashtextextended(ROW(${columns})::text, 0)), 0) FROM`;
    return (await sql('weighbridge', `${sum} ${table}`)) === (await sql('warehouse', `${sum} ${copy}`));
};
const loads = 'load_id, ticket, gross_kg, tare_kg, status, updated_at';

test('a log feed is set up from the page, with what it sees and what the log lacks said before it starts', async () => {
    await page.goto(`${base}/feeds/new?source=weighbridge&target=warehouse`);
    await page.getByLabel('Tick public.pressings').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    const advice = page.locator('tr.advice').last();
    await page.getByLabel('Capture', { exact: true }).selectOption('log');
    await page.getByLabel('Landing', { exact: true }).selectOption('versions');
    await advice.getByText('Every change is seen and kept').waitFor();
    await advice.getByText('Deletes are seen').waitFor();
    await advice.getByText('computed by the source and not in its log').waitFor();
    assert.deepEqual(await violations(page), []);
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByText('valid_from').first().waitFor();
    await page.getByRole('button', { name: /^Start/ }).click();
    await page.waitForURL('**/feeds/pressings');
    await until('pressings is on time', async () => (await feed('pressings')).state === 'on time');
    const columns = 'pressing_id, recipe, juice_litres';
    const known = (await sql('weighbridge', "SELECT string_agg(attname, ', ') FROM pg_attribute WHERE attrelid = 'pressings'::regclass AND attnum > 0 AND attgenerated = ''")) || columns;
    assert.ok(await same(known, 'pressings', '(SELECT * FROM weighbridge.pressings WHERE is_current) p'));
});

test('changes and deletes at the source show on the feed within moments, with their delay', async () => {
    await page.goto(`${base}/feeds/loads?span=15m`);
    await sql('weighbridge', "UPDATE loads SET status = 'settled', updated_at = now() WHERE load_id BETWEEN 100 AND 139");
    await sql('weighbridge', 'DELETE FROM loads WHERE load_id IN (141, 142, 143)');
    await until('the copy equals the source', () => same(loads, 'loads', 'gate.loads'));
    await until('a receipt says three deletes', async () => {
        const rows = await page.getByRole('table', { name: 'The latest receipts' }).locator('tbody tr').allInnerTexts();
        return rows.some((r) => r.split('\t')[5]?.trim() === '3');
    });
    const chart = page.locator('svg.tide');
    assert.match(await chart.getAttribute('aria-label'), /^\S+ changes committed and \S+ landed; 0 wait$/);
    const box = await chart.boundingBox();
    await page.mouse.move(box.x + box.width * 0.975, box.y + box.height / 2);
    await page.getByText(/^landed .* later$/).waitFor();
    assert.match(await page.locator('#feed').innerText(), /Delay p95, last hour\s+[\d.]+ (ms|s)/);
    await page.goto(`${base}/feeds/loads/delay`);
    assert.ok(Number((await page.getByRole('table', { name: 'Delay by hour' }).locator('tbody tr').first().locator('td').nth(1).innerText()).replace(/\D/g, '')) >= 43);
});

test('a row\'s life shows each change with the time it was made, landed and superseded', async () => {
    await sql('weighbridge', "INSERT INTO loads (load_id, ticket, grower_id, orchard_id, variety_code, gross_kg, arrived_at, updated_at) VALUES (990001, 'LIFE-1', 1, 1, 'V01', 9000, now(), now())");
    await sql('weighbridge', "UPDATE loads SET tare_kg = 3100, status = 'weighed' WHERE load_id = 990001");
    await sql('weighbridge', 'DELETE FROM loads WHERE load_id = 990001');
    await until('the delete is in the history', async () => (await sql('warehouse', "SELECT count(*) FROM gate.loads_history WHERE load_id = 990001")) === '3');
    await page.goto(`${base}/feeds/loads/life`);
    await page.getByRole('link', { name: 'Look in loads history' }).click();
    await page.getByLabel('load_id').fill('990001');
    await page.keyboard.press('Enter');
    const rows = page.getByRole('table', { name: 'Changes to this key' }).locator('tbody tr');
    await rows.first().waitFor();
    assert.deepEqual((await rows.allInnerTexts()).map((text) => text.split('\t')[0].trim()), ['delete', 'update', 'insert']);
    assert.match(await rows.nth(1).innerText(), /tare_kg, status/);
    assert.equal(await page.locator('svg.life rect.span').count(), 2);
    await page.getByLabel('load_id').fill('not a number');
    await page.keyboard.press('Enter');
    await page.getByRole('alert').waitFor();
});

test('a paused feed lets its changes wait in the spool and not in the source\'s log, and lands them when resumed', async () => {
    await lighterman('feed:pause', 'gate journal');
    // A pause is seen by the reader of the log within a second.
    await new Promise((r) => setTimeout(r, 2500));
    await sql('weighbridge', "INSERT INTO gate_log (seen_at, plate, direction, lane) SELECT now(), 'AM77 SPL', 'i', 1 FROM generate_series(1, 700)");
    await page.goto(`${base}/routes/1`);
    await until('the route\'s page says 700 wait', async () => /gate journal.*\b700\b/s.test(await page.getByRole('row', { name: /gate journal/ }).innerText()));
    assert.equal(await sql('warehouse', "SELECT count(*) FROM gate.gate_journal WHERE plate = 'AM77 SPL'"), '0');
    await until('the slot has moved on', async () => Number(await sql('weighbridge', "SELECT coalesce(max(pg_current_wal_lsn() - confirmed_flush_lsn), 0)::bigint FROM pg_replication_slots WHERE slot_name LIKE 'lighterman_weighbridge_warehouse%'")) < 100000);
    await lighterman('feed:resume', 'gate journal');
    await until('they have landed', async () => (await sql('warehouse', "SELECT count(*) FROM gate.gate_journal WHERE plate = 'AM77 SPL'")) === '700');
});

test('a table emptied at the source holds the feed until somebody decides', async () => {
    await sql('weighbridge', 'CREATE TABLE tallies (id int PRIMARY KEY, n int)');
    await sql('weighbridge', 'INSERT INTO tallies SELECT g, g FROM generate_series(1, 5) g');
    await sql('weighbridge', 'GRANT SELECT ON tallies TO weighbridge_reader');
    await page.goto(`${base}/feeds/new?source=weighbridge&target=warehouse`);
    await page.getByLabel('Tick public.tallies').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    await page.getByLabel('Capture', { exact: true }).selectOption('log');
    const remedy = page.locator('tr.advice').last().locator('code', { hasText: 'ADD TABLE' });
    await remedy.waitFor();
    // The statement is run as the page gives it.
    await sql('weighbridge', (await remedy.innerText()).split(';')[0]);
    await page.getByLabel('Landing', { exact: true }).selectOption('upsert');
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByRole('button', { name: /^Start/ }).click();
    await until('tallies is on time', async () => (await feed('tallies')).state === 'on time');
    await sql('weighbridge', 'TRUNCATE tallies');
    await sql('weighbridge', 'INSERT INTO tallies VALUES (9, 9)');
    await until('tallies is held', async () => (await feed('tallies')).state === 'held');
    await page.goto(`${base}/feeds/tallies`);
    await page.getByText('public.tallies was emptied at the source').first().waitFor();
    assert.equal(await sql('warehouse', 'SELECT count(*) FROM weighbridge.tallies'), '5');
    await page.getByRole('button', { name: 'Empty the copy too' }).click();
    await until('the copy holds what came after', async () => (await sql('warehouse', 'SELECT string_agg(id::text, \',\') FROM weighbridge.tallies')) === '9');
    await until('tallies goes on', async () => (await feed('tallies')).state === 'on time');
});

test('a slot dropped by hand is said on the page, and beginning anew mends it', async () => {
    const slot = await sql('weighbridge', "SELECT slot_name FROM pg_replication_slots WHERE slot_name LIKE 'lighterman_weighbridge_warehouse%'");
    await until('the slot is dropped', async () => {
        await sql('weighbridge', `SELECT pg_terminate_backend(active_pid) FROM pg_replication_slots WHERE slot_name = '${slot}'`);
        return sql('weighbridge', `SELECT pg_drop_replication_slot('${slot}')`).then(() => true, () => false);
    });
    await sql('weighbridge', "UPDATE loads SET gross_kg = gross_kg + 2 WHERE load_id BETWEEN 200 AND 260");
    await page.goto(`${base}/routes/1`);
    await page.getByText(/The replication slot .* is gone|replication slot .* is gone/).first().waitFor({ timeout: 40000 });
    await page.goto(`${base}/feeds/loads`);
    await page.getByText('is gone. Changes made since then').first().waitFor();
    assert.equal((await feed('loads')).state, 'failed');
    await page.getByRole('link', { name: 'The route\'s page' }).click();
    await page.getByRole('button', { name: 'Begin anew' }).click();
    await page.getByRole('alert').first().waitFor();
    await page.fill('#confirm', 'weighbridge → warehouse');
    await page.getByRole('button', { name: 'Begin anew' }).click();
    await until('loads is on time again', async () => (await feed('loads')).state === 'on time', 90);
    await until('the copy equals the source', () => same(loads, 'loads', 'gate.loads'));
    assert.deepEqual(page.complaints, []);
});
