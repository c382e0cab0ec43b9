import assert from 'node:assert/strict';
import { mkdirSync, readdirSync, utimesSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { after, before, test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { base, engineersPage, feed, sql, until, violations } from './harness.mjs';

const drop = `${process.env.LIGHTERMAN_VAR}/lab-drop`;
// Files are taken once nobody has written to them for some seconds.
const leave = (path, contents, ago = 60) => {
    mkdirSync(dirname(`${drop}/${path}`), { recursive: true });
    writeFileSync(`${drop}/${path}`, contents);
    utimesSync(`${drop}/${path}`, Date.now() / 1000 - ago, Date.now() / 1000 - ago);
};

let page;
before(async () => (page = await engineersPage()));
after(() => page.context().browser().close());

test('the laboratory\'s files are recognised, rehearsed and taken in', async () => {
    await page.goto(`${base}/feeds/new?source=lab%20drop&target=warehouse`);
    await page.getByLabel('Tick must/must-*.csv').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    await page.getByText('Delimited text · semicolon · decimal comma · Windows-1252').waitFor();
    await page.getByRole('cell', { name: /^date dd\.MM\.yyyy in \d+ of \d+/ }).waitFor();
    await page.getByLabel('Key', { exact: true }).fill('sample');
    await page.getByLabel('Landing', { exact: true }).selectOption('upsert');
    await page.getByLabel('Landed table', { exact: true }).fill('lab.must');
    await page.keyboard.press('Tab');
    await page.getByText('Changed files are taken again').waitFor();
    assert.deepEqual(await violations(page), []);

    // What was found can be overruled, and the evidence says so.
    await page.getByLabel('Type of grower').fill('number');
    await page.getByRole('button', { name: 'Look again with this' }).click();
    await page.getByText(/"number" is not a type/).first().waitFor();
    assert.deepEqual([await page.getByLabel('Capture', { exact: true }).inputValue(), await page.getByLabel('Type of grower').inputValue(), await page.getByLabel('Key', { exact: true }).inputValue()], ['files', 'number', 'sample'], 'nothing typed is lost');
    await page.getByLabel('Type of grower').fill('int32');
    await page.getByRole('button', { name: 'Look again with this' }).press('Enter');
    await page.getByText(/^as you say; integer in/).waitFor();

    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByText(/lines? of these files would be set aside/).waitFor();
    assert.deepEqual(await violations(page), []);
    await page.getByRole('button', { name: 'Start the feed' }).press('Enter');
    await until('the files are taken', async () => (await feed('must')).state === 'on time' && Number(await sql('warehouse', 'SELECT count(*) FROM lab.must')) > 0);
    const files = readdirSync(`${drop}/must`).length;
    await until('every file is said to be taken', async () => {
        await page.goto(`${base}/feeds/must/files`);
        return (await page.getByRole('cell', { name: /^must.must-\d{4}-\d\d-\d\d\.csv$/ }).count()) === files;
    });
    assert.equal(await sql('warehouse', "SELECT count(DISTINCT source_file) || ' ' || min(length(taken_on::text)) FROM lab.must"), `${files} 10`);
    assert.equal(await sql('warehouse', 'SELECT bool_and(sugar_oe BETWEEN 30 AND 70 AND ph BETWEEN 3 AND 5) FROM lab.must'), 't');
    assert.deepEqual(await violations(page), []);
});

test('dates that may be read either way are asked for', async () => {
    leave('plantings/plantings-2026.csv', 'vine,planted_on\n1,02/03/2026\n2,04/05/2026\n');
    await page.goto(`${base}/feeds/new?source=lab%20drop&target=warehouse`);
    await page.getByLabel('Tick plantings/plantings-*.csv').check();
    await page.getByRole('button', { name: 'Next: grid' }).click();
    await page.getByRole('cell', { name: /day and month cannot be told apart/ }).waitFor();
    const written = page.getByLabel('How dates of planted_on are written');
    assert.deepEqual((await written.locator('option').allInnerTexts()).slice(0, 2), ['as found', 'MM/dd/yyyy, month first']);
    assert.deepEqual(await violations(page), []);
    await written.selectOption('MM/dd/yyyy');
    await page.getByLabel('Key', { exact: true }).fill('vine');
    await page.getByLabel('Landing', { exact: true }).selectOption('upsert');
    await page.getByLabel('Landed table', { exact: true }).fill('lab.plantings');
    await page.getByRole('button', { name: 'Look again with this' }).press('Enter');
    await page.getByText(/^as you say; dates in/).waitFor();
    assert.deepEqual([await written.inputValue(), await page.getByLabel('Type of planted_on').inputValue()], ['MM/dd/yyyy', 'date']);
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByRole('button', { name: 'Start the feed' }).press('Enter');
    await until('they are taken as said', async () => (await feed('plantings'))?.state === 'on time' && (await sql('warehouse', 'SELECT string_agg(planted_on::text, \' \' ORDER BY vine) FROM lab.plantings')) === '2026-02-03 2026-04-05');
});

test('a line that was set aside is mended and lands', async () => {
    const before = Number(await sql('warehouse', 'SELECT count(*) FROM lab.must'));
    await page.goto(`${base}/feeds/must/set-aside`);
    await page.getByRole('link', { name: /^wrong type$/ }).or(page.getByRole('row', { name: /sugar_oe is no decimal/ })).first().waitFor();
    await page.getByRole('row', { name: /sugar_oe is no decimal/ }).getByRole('link', { name: /^#/ }).first().click();
    await page.getByText(/must-\d{4}-\d\d-\d\d\.csv, line 8: sugar_oe is no/).first().waitFor();
    await page.getByText('n. b.').first().waitFor();
    assert.deepEqual(await violations(page), []);
    const sample = await page.getByLabel('sample', { exact: true }).inputValue();
    await page.getByLabel('sugar_oe', { exact: true }).fill('47,5');
    await page.getByRole('button', { name: 'Send again' }).press('Enter');
    await page.getByText('The record is sent again with the next batch.').waitFor();
    await until('it has landed', async () => (await sql('warehouse', `SELECT sugar_oe FROM lab.must WHERE sample = '${sample}'`)) === '47.5');

    // A value that does not fit stays where it is, and is told again.
    await page.getByRole('row', { name: /fields instead of/ }).getByRole('link', { name: /^#/ }).first().click();
    await page.getByText('The line as it stands in the file').waitFor();
    await page.getByLabel('ph', { exact: true }).fill('sour');
    await page.getByRole('button', { name: 'Send again' }).click();
    await until('it is told again', async () => {
        await page.goto(`${base}/feeds/must/set-aside`);
        return (await page.getByRole('row', { name: /ph is no decimal/ }).count()) > 0;
    });
    await page.getByRole('row', { name: /ph is no decimal/ }).getByRole('link', { name: /^#/ }).first().click();
    await page.getByLabel('ph', { exact: true }).fill('3,45');
    await page.getByRole('button', { name: 'Send again' }).click();
    await until('it has landed too', async () => Number(await sql('warehouse', 'SELECT count(*) FROM lab.must')) === before + 2);
});

test('a broken file is set aside whole, and taken again once it is whole', async () => {
    const good = 'sample;taken_on;grower;variety;sugar_oe;acid_g_l;ph;remark\r\nX1;01.11.2026;7;Weir Perry;50,0;5,0;3,50;\r\n';
    const packed = gzipSync(good);
    leave('must/late-1.csv.gz', packed.subarray(0, packed.length - 9), 90);
    leave('must/late-2.csv.gz', gzipSync(good.replace('X1', 'X2')), 60);
    await page.goto(`${base}/feeds/new?source=lab%20drop&target=warehouse`);
    await page.getByLabel('or a pattern of your own').fill('must/late-*.csv.gz');
    await page.getByRole('button', { name: 'Next: grid' }).press('Enter');
    await page.getByLabel('Key', { exact: true }).fill('sample');
    await page.getByLabel('Landing', { exact: true }).selectOption('upsert');
    await page.getByLabel('Feed name').fill('late must');
    await page.getByLabel('Landed table', { exact: true }).fill('lab.late_must');
    await page.getByRole('button', { name: 'Next: rehearsal' }).click();
    await page.getByRole('button', { name: 'Start the feed' }).click();
    await until('the whole one has landed', async () => (await feed('late must')).state === 'on time' && (await sql('warehouse', "SELECT string_agg(sample, ' ') FROM lab.late_must")) === 'X2');
    await page.goto(`${base}/feeds/late%20must/set-aside`);
    await page.getByRole('row', { name: /late-1\.csv\.gz: it ends before it should/ }).getByRole('link', { name: /^#/ }).first().click();
    await page.getByRole('heading', { name: 'A file, as a whole' }).waitFor();
    assert.deepEqual(await violations(page), []);
    leave('must/late-1.csv.gz', packed, 50);
    await page.getByRole('button', { name: 'Take it again' }).press('Enter');
    await until('it is taken again', async () => (await sql('warehouse', "SELECT string_agg(sample, ' ' ORDER BY sample) FROM lab.late_must")) === 'X1 X2');
    await page.goto(`${base}/feeds/late%20must/set-aside`);
    await page.getByText('Nothing is set aside').first().waitFor();
    assert.deepEqual(page.complaints, []);
});
