import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import { base, engineersPage, feed, sql, until, violations } from './harness.mjs';

let page;
const folder = mkdtempSync(join(process.env.LIGHTERMAN_VAR, 'shared', 'cellar-'));
before(async () => (page = await engineersPage()));
after(async () => {
    await page.context().browser().close();
    rmSync(folder, { recursive: true });
});

const columns = 'orchard_id, grower_id, name, grid_e, grid_n, hectares, planted_year, updated_at';
const same = async () => {
    const sum = (from) => `SELECT count(*) || ' ' || coalesce(sum(hashtextextended(ROW(${columns})::text, 0)), 0) FROM ${from}`;
    return (await sql('weighbridge', sum('public.orchards'))) === (await sql('warehouse', sum('orchard.followed')));
};

test('a feed by trigger says what the account lacks, shows what will run at the source, and follows every change', async () => {
    await page.goto(`${base}/feeds/new?source=weighbridge&target=warehouse`);
    await page.getByLabel('Tick public.orchards').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    const advice = page.locator('tr.advice').last();
    await page.getByLabel('Capture', { exact: true }).selectOption('trigger');
    await advice.getByText('may not put triggers on public.orchards').waitFor();
    await advice.getByText('GRANT TRIGGER ON "public"."orchards" TO "weighbridge_reader";').waitFor();
    await sql('weighbridge', 'GRANT TRIGGER ON public.orchards TO weighbridge_reader');
    await page.getByLabel('Landed table', { exact: true }).fill('orchard.followed');
    await page.getByLabel('Feed name').fill('orchards followed');
    await page.getByLabel('Feed name').press('Tab');
    await advice.getByText('Every change is seen').waitFor();
    await until('nothing is lacking', async () => (await advice.getByText('may not put triggers').count()) === 0);
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByRole('heading', { name: 'Runs on weighbridge first' }).waitFor();
    assert.match(await page.locator('pre.sql').first().innerText(), /CREATE TRIGGER "lighterman_\w+" AFTER INSERT OR UPDATE OR DELETE ON "public"\."orchards"/);
    assert.deepEqual(await violations(page), []);
    await page.getByRole('button', { name: /^Start/ }).press('Enter');
    await page.waitForURL('**/feeds/orchards%20followed');
    await until('it is on time', async () => (await feed('orchards followed')).state === 'on time');
    await sql('weighbridge', "UPDATE public.orchards SET hectares = hectares + 1 WHERE orchard_id <= 30; DELETE FROM public.orchards WHERE orchard_id = 3399");
    await until('the copy equals the source', same);
    await page.goto(`${base}/feeds/orchards%20followed`);
    assert.match(await page.locator('svg.tide').getAttribute('aria-label'), /^\S+ changes committed and \S+ landed; 0 wait$/);
});

test('a trigger that was disabled is put right, what was missed is loaded, and the pages say so', async () => {
    await sql('weighbridge', "ALTER TABLE public.orchards DISABLE TRIGGER USER; UPDATE public.orchards SET hectares = 2.5 WHERE orchard_id = 40");
    await until('the copy equals the source again', same);
    await page.goto(`${base}/feeds/orchards%20followed`);
    await page.getByRole('alert').getByText('A trigger was disabled, found').waitFor();
    await page.getByRole('alert').getByText('the table was loaded again beside its changes').waitFor();
    await page.goto(`${base}/routes/1?capture=trigger`);
    await page.getByText('Changes of public.orchards were not recorded for some time.').waitFor();
    assert.deepEqual(await violations(page), []);
    await page.getByRole('button', { name: 'Check the triggers' }).click();
    await page.getByText('Its triggers are in place.').first().waitFor();
    await page.getByRole('link', { name: 'By log' }).click();
    await page.getByRole('heading', { name: 'Change log' }).waitFor();
});

test('an SQLite file is added by keyboard, offers what it can do, and its rows are carried', async () => {
    const file = join(folder, 'cellar.db');
    execFileSync('php', ['-r', `(new PDO('sqlite:${file}'))->exec("CREATE TABLE casks (id INTEGER PRIMARY KEY, wood TEXT, litres REAL); INSERT INTO casks VALUES (1, 'oak', 220.5), (2, 'chestnut', 0)");`]);
    await page.goto(`${base}/systems/new?kind=sqlite`);
    assert.deepEqual(await violations(page), []);
    await page.getByLabel('Name').fill('small cellar');
    await page.getByLabel('File on this machine').fill(join(folder, 'none.db'));
    await page.keyboard.press('Enter');
    await page.getByText(`there is no file ${join(folder, 'none.db')}`).waitFor();
    await page.getByLabel('File on this machine').fill(file);
    await page.keyboard.press('Enter');
    await page.getByText('is an SQLite database').waitFor();
    await page.goto(`${base}/feeds/new?source=small cellar&target=warehouse`);
    await page.getByLabel('Tick main.casks').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    assert.deepEqual(await page.getByLabel('Capture', { exact: true }).locator('option').allInnerTexts(), ['trigger', 'watermark', 'reload']);
    await page.getByLabel('Capture', { exact: true }).selectOption('trigger');
    await page.locator('tr.advice').last().getByText('Every change that fires a trigger is seen').waitFor();
    await page.getByLabel('Landing', { exact: true }).selectOption('upsert');
    await page.getByLabel('Landed table', { exact: true }).fill('small.casks');
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByText('chestnut').waitFor();
    await page.getByRole('button', { name: /^Start/ }).click();
    await until('both rows are there', async () => (await sql('warehouse', 'SELECT count(*) FROM small.casks').catch(() => '')) === '2');
    execFileSync('php', ['-r', `(new PDO('sqlite:${file}'))->exec("UPDATE casks SET litres = 10 WHERE id = 2; DELETE FROM casks WHERE id = 1");`]);
    await until('the changes are there', async () => (await sql('warehouse', "SELECT string_agg(id || ' ' || litres, ';') FROM small.casks")) === '2 10');
});
