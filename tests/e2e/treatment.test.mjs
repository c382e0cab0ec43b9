import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { base, engineersPage, feed, lighterman, sql, until, violations } from './harness.mjs';

let page;
before(async () => (page = await engineersPage()));
after(() => page.context().browser().close());

const here = `${base}/feeds/orchards%20treated`;
const cell = (line, place) => page.locator(`table.columns-sheet tbody tr:nth-child(${line}) td:nth-child(${place})`);

test('a feed is created paused, and its columns are treated on real rows while one types', async () => {
    await page.goto(`${base}/feeds/new?source=weighbridge&target=warehouse`);
    await page.getByLabel('Tick public.orchards').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    await page.getByLabel('Capture', { exact: true }).selectOption('watermark');
    await page.getByLabel('Landed table', { exact: true }).fill('treated.orchards');
    await page.getByLabel('Feed name').fill('orchards treated');
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByRole('button', { name: 'Create paused' }).click();
    await page.waitForURL('**/feeds/orchards%20treated/columns');
    assert.equal((await feed('orchards treated')).state, 'paused');

    // The name is masked by its shape; the sheet follows each key.
    await page.locator('a[data-line="2"]').press('Enter');
    await page.getByRole('button', { name: 'Mask', exact: true }).click();
    await page.getByLabel('How').selectOption('keep_shape');
    await page.waitForURL('**line=2**');
    await until('the shape is shown', async () => /^[Xx9 ]+$/.test(await cell(3, 8).innerText()));
    const name = await cell(3, 4).innerText();
    assert.equal(await cell(3, 8).innerText(), name.replace(/\p{Lu}/gu, 'X').replace(/\p{Ll}/gu, 'x').replace(/\d/g, '9'));
    await page.getByLabel('Landed as', { exact: true }).first().fill('orchard_shape');
    await until('the new name is on the sheet', async () => (await cell(3, 6).innerText()) === 'orchard_shape');

    // A derived column, first with a mistake in it.
    await page.getByText('Add a column: derived, or a stamp').click();
    await page.getByLabel('Landed as', { exact: true }).last().fill('square_metres');
    await page.getByLabel('Computed as').fill("unit(hectare, 'ha', 'm2')");
    await page.getByRole('button', { name: 'Add it' }).first().click();
    await cell(9, 8).getByText('There is no column "hectare". Did you mean "hectares"? (at character 6).').waitFor();
    await page.getByLabel('Computed as').first().fill("unit(hectares, 'ha', 'm2')");
    const hectares = await cell(6, 4).innerText();
    await until('it is computed', async () => Math.abs(Number(await cell(9, 8).innerText()) - 10000 * Number(hectares)) < 1e-6);
    assert.deepEqual(await violations(page), []);
    await page.keyboard.press('Escape');
    await page.waitForURL((u) => !String(u).includes('line='));
    await page.getByText('it is not stated what becomes of a record that cannot be treated').waitFor();
    assert.ok(await page.getByRole('button', { name: 'Save version 2' }).isDisabled());
    await page.getByRole('button', { name: 'set aside', exact: true }).click();
    await until('it can be saved', async () => page.getByRole('button', { name: 'Save version 2' }).isEnabled());
});

test('a check of a box is written, and a bad record of ones own is rehearsed', async () => {
    await page.goto(`${here}/checks`);
    await page.getByLabel('The value').selectOption('box');
    await page.getByLabel('Column that grows to the east').fill('grid_e');
    await page.getByLabel('Column that grows to the north').fill('grid_n');
    for (const [side, value] of [['West', '4900'], ['East', '4000'], ['South', '2000'], ['North', '2700']]) await page.getByLabel(side, { exact: true }).fill(value);
    await page.getByLabel('If it does not').selectOption('set_aside');
    await page.getByLabel('A name of your own').fill('inside the vale');
    await page.getByRole('button', { name: 'Add the check' }).click();
    await page.getByRole('alert').getByText('The box is empty').waitFor();
    assert.equal(await page.getByLabel('A name of your own').inputValue(), 'inside the vale');
    await page.getByLabel('West', { exact: true }).fill('4000');
    await page.getByLabel('East', { exact: true }).fill('4900');
    await page.getByRole('button', { name: 'Add the check' }).press('Enter');
    await page.getByRole('link', { name: 'inside the vale' }).waitFor();
    assert.deepEqual(await violations(page), []);

    // Small orchards go to a table of their own, without the year they were planted.
    await page.getByRole('link', { name: 'Forks', exact: true }).press('Enter');
    await page.getByLabel('Takes the records for which').fill('hectare < 1');
    await page.getByLabel('Landed table').fill('treated.small_orchards');
    await page.getByRole('button', { name: 'Add the fork' }).click();
    await page.getByText('There is no column "hectare". Did you mean "hectares"? (at character 1).').first().waitFor();
    await page.getByRole('link', { name: 'small_orchards', exact: true }).click();
    await page.getByLabel('Takes the records for which').fill('hectares < 1');
    await page.getByRole('button', { name: 'Keep the change' }).press('Enter');
    await page.getByText('it is not stated what becomes of a record that takes no fork').waitFor();
    await page.getByRole('button', { name: 'lands in the feed\'s own table' }).click();
    await page.getByText('it lands in the feed\'s own table').waitFor();
    assert.deepEqual(await violations(page), []);
    await page.getByRole('link', { name: 'its columns: as on the own sheet' }).click();
    await page.waitForURL('**fork=small_orchards');
    await page.getByLabel('planted_year', { exact: true }).check();
    await page.getByLabel('Ticked columns:').selectOption('drop');
    await page.getByRole('button', { name: 'Do it' }).click();
    await page.getByText('9 columns in, 8 out').waitFor();
    assert.deepEqual(await violations(page), []);

    await page.goto(`${here}/rehearse`);
    await page.getByLabel('or records of your own').fill('{"orchard_id": 1, "name": "Nowhere 1", "grid_e": 0, "grid_n": 0, "hectares": 2}');
    await page.getByRole('button', { name: 'Rehearse them' }).click();
    await page.getByText('It does not lie by grid_e, grid_n between 4000, 2000 and 4900, 2700: grid_e is "0", grid_n is "0"').waitFor();
    await page.getByText('It does not land.').waitFor();
    assert.doesNotMatch(await page.locator('main .stack').last().innerText(), /Nowhere/);
    await page.getByLabel('or records of your own').fill('{"orchard_id": 1, "acres": 2}');
    await page.getByRole('button', { name: 'Rehearse them' }).click();
    await page.getByRole('alert').getByText('the source has no column "acres"').waitFor();
    await page.getByLabel('or records of your own').fill('orchard_id;name;grid_e;grid_n;hectares\n7;Long Acre;4100;2100;1.5');
    await page.getByRole('button', { name: 'Rehearse them' }).click();
    await page.getByText('null value in column "grower_id" of relation "orchards" violates not-null constraint').first().waitFor();
    await page.getByLabel('or records of your own').fill('orchard_id;grower_id;name;grid_e;grid_n;hectares;updated_at\n7;1;Long Acre;4100;2100;1.5;2026-11-01\n8;1;Small Acre;4100;2100;0.5;2026-11-01');
    await page.getByRole('button', { name: 'Rehearse them' }).click();
    await page.getByText('INSERT INTO "treated"."orchards"').waitFor();
    await page.getByRole('button', { name: 'record 2' }).click();
    await page.getByText('it takes this one').waitFor();
    await page.getByText('INSERT INTO "treated"."small_orchards"').waitFor();
    assert.doesNotMatch(await page.locator('pre.sql').innerText(), /planted_year/);
    await page.getByRole('button', { name: 'record 1' }).click();
    await page.getByText('it does not', { exact: true }).waitFor();
    await page.getByText('Xxxx Xxxx').first().waitFor();
    assert.deepEqual(await violations(page), []);
    assert.equal(await sql('warehouse', "SELECT to_regclass('treated.orchards') IS NULL"), 't');
});

test('saved and run, the feed sets aside what fails; mended records are sent again and land', async () => {
    await page.goto(`${here}/columns`);
    await page.getByRole('button', { name: 'Save version 2' }).click();
    await page.getByRole('status').getByText('Saved as version 2').waitFor();
    await page.getByRole('button', { name: 'Resume' }).click();
    await until('it is on time', async () => (await feed('orchards treated')).state === 'on time');
    const small = await sql('weighbridge', 'SELECT count(*) FROM orchards WHERE hectares < 1 AND grid_e > 0');
    assert.ok(Number(small) > 10);
    assert.deepEqual([await sql('warehouse', 'SELECT count(*) FROM treated.small_orchards'), await sql('warehouse', 'SELECT count(*) FROM treated.orchards')], [small, String(3396 - small)]);
    assert.equal(await sql('warehouse', "SELECT count(*) FROM treated.orchards WHERE hectares < 1 OR orchard_shape !~ '^[Xx9 ]+$' OR square_metres <> hectares * 10000"), '0');

    await page.goto(`${base}/decisions`);
    await page.getByRole('link', { name: 'orchards treated' }).click();
    await page.waitForURL('**/set-aside');
    assert.equal(await page.locator('tbody a', { hasText: /^#\d+$/ }).filter({ hasNotText: 'run' }).count() >= 4, true);
    assert.deepEqual(await violations(page), []);
    await page.getByLabel('that hold').fill('418');
    await page.getByRole('button', { name: 'Show' }).click();
    await page.getByText('1 record', { exact: true }).waitFor();
    await page.locator('table tr', { hasText: 'orchard_id = 418' }).getByRole('link').first().click();
    await page.getByLabel('grid_e', { exact: true }).fill('4180');
    await page.getByLabel('grid_n', { exact: true }).fill('2260');
    await page.getByRole('button', { name: 'Keep the change' }).click();
    await page.getByRole('status').getByText('The record is changed').waitFor();
    assert.deepEqual(await violations(page), []);
    await page.getByRole('link', { name: 'Rehearse it' }).click();
    await page.getByText('lands', { exact: true }).first().waitFor();
    await page.getByRole('link', { name: 'The record as it was set aside' }).click();
    await page.getByRole('button', { name: 'Send again' }).click();
    await until('it landed', async () => (await sql('warehouse', 'SELECT grid_e FROM treated.orchards WHERE orchard_id = 418')) === '4180');

    // The others are let go, which asks for a reason.
    await page.goto(`${here}/set-aside`);
    await page.getByLabel('all 3, not only the ticked').check();
    await page.getByRole('button', { name: 'Let go' }).click();
    await page.getByRole('alert').getByText('Say why they are let go').waitFor();
    await page.getByLabel('all 3, not only the ticked').check();
    await page.getByPlaceholder('why they are let go').fill('never surveyed');
    await page.getByRole('button', { name: 'Let go' }).click();
    await page.getByRole('status').getByText('3 records let go').waitFor();
    await page.getByText('Nothing is set aside.').waitFor();
    const runs = JSON.parse(await lighterman('feed:show', 'orchards treated', '--json')).runs.filter((r) => r.read > 0);
    assert.equal(runs.at(-1).read, 3400);
});

test('two versions are compared, and going back is one action', async () => {
    await page.goto(`${here}/versions?a=1&b=2`);
    await page.getByText('keep shape → orchard_shape').waitFor();
    await page.getByText('1. when hectares < 1 → treated.small_orchards').waitFor();
    assert.match(await page.locator('pre.sql').innerText(), /RENAME COLUMN "orchard_shape" TO "name"/);
    assert.deepEqual(await violations(page), []);
    await page.getByRole('button', { name: 'Go back to version 1' }).press('Enter');
    await page.getByRole('status').getByText('What version 1 said is now the newest version.').waitFor();
    assert.equal((await feed('orchards treated')).definition_version, 3);
    const told = JSON.parse(await lighterman('feed:rehearse', 'orchards treated', '--rows=3', '--json'));
    assert.deepEqual(told.map((one) => one.outcome), ['lands', 'lands', 'lands']);
    assert.deepEqual(page.complaints, []);
});
