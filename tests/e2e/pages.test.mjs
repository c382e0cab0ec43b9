import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { after, before, test } from 'node:test';
import { base, launch, open, signIn, violations } from './harness.mjs';

const pages = ['/watch', '/feeds', '/feeds/loads', '/feeds/loads/runs', '/feeds/loads/columns', '/feeds/growers/columns?line=2', '/feeds/orchards/checks', '/feeds/varieties/forks', '/feeds/varieties/columns?fork=perry%20pears&line=2', '/landed/loads%20in%20the%20lake?count=1', '/systems/lake', '/feeds/growers/rehearse', '/feeds/orchards/set-aside', '/feeds/loads/versions', '/feeds/loads/set-up', '/feeds/loads/delay', '/feeds/loads/life', '/feeds/loads%20history/life?key%5Bload_id%5D=59990', '/feeds/growers', '/routes/1', '/feeds/new', '/feeds/new?source=weighbridge&target=warehouse', '/systems', '/systems/weighbridge', '/systems/new', '/landed', '/landed/loads', '/landed/loads?count=1&key%5Bload_id%5D=9', '/landed/sql', '/decisions', '/find?q=tare', '/audit', '/me', '/no-such-page'];

let browser;
before(async () => (browser = await launch()));
after(() => browser.close());

for (const colorScheme of ['light', 'dark']) {
    test(`axe finds nothing on any page, ${colorScheme}`, async () => {
        const page = await open(browser, { colorScheme, bypassCSP: true });
        await page.goto(`${base}/sign-in`);
        const found = (await violations(page)).map((v) => `/sign-in ${v}`);
        await signIn(page);
        for (const path of pages) {
            const answer = await page.goto(base + path);
            assert.equal(answer.status(), path === '/no-such-page' ? 404 : 200, path);
            found.push(...(await violations(page)).map((v) => `${path} ${v}`));
        }
        await page.goto(`${base}/feeds/loads/runs`);
        await page.locator('tbody tr a').first().click();
        found.push(...(await violations(page)).map((v) => `/runs ${v}`));
        await page.goto(`${base}/feeds/new?source=weighbridge&target=warehouse`);
        await page.getByLabel('Tick public.pressings').check();
        await page.getByRole('button', { name: 'Next: grid' }).click();
        found.push(...(await violations(page)).map((v) => `grid ${v}`));
        await page.getByRole('button', { name: 'Next: rehearsal' }).click();
        found.push(...(await violations(page)).map((v) => `rehearsal ${v}`));
        assert.deepEqual(found, []);
    });
}

test('no page scrolls sideways on a phone', async () => {
    const page = await open(browser, { viewport: { width: 390, height: 800 } });
    await signIn(page);
    for (const path of pages) {
        await page.goto(base + path);
        const wide = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
        assert.ok(wide <= 0, `${path} is ${wide} px too wide`);
    }
});

test('headers confine the page, and scripts come from files only', async () => {
    const page = await open(browser);
    const answer = await page.goto(`${base}/sign-in`);
    const csp = answer.headers()['content-security-policy'];
    assert.match(csp, /script-src 'self'(;|$)/);
    assert.match(csp, /frame-ancestors 'none'/);
    assert.equal(answer.headers()['x-content-type-options'], 'nosniff');
    const cookie = (await answer.headersArray()).filter((h) => h.name.toLowerCase() === 'set-cookie').map((h) => h.value).join('\n');
    assert.match(cookie, /lighterman_session=[^\n]*httponly; samesite=lax/i);
});

test('a viewer sees everything and can change nothing', async () => {
    const page = await open(browser);
    await signIn(page, 'viewer');
    for (const path of ['/watch', '/feeds', '/feeds/loads', '/feeds/loads/set-up', '/systems/weighbridge']) {
        await page.goto(base + path);
        assert.equal(await page.getByRole('button', { name: /Pause|Run now|Save|Remove|Test$/ }).count(), 0, path);
    }
    const token = await page.evaluate(() => document.querySelector('[name=_token]').value);
    const statuses = await page.evaluate(async (token) => Promise.all(['/feeds/act', '/systems', '/feeds/new'].map(async (path) => (await fetch(path, { method: 'POST', body: new URLSearchParams({ _token: token, act: 'pause', 'feeds[]': 'loads' }) })).status)), token);
    assert.deepEqual(statuses, [403, 403, 403]);
    assert.equal((await page.goto(`${base}/systems/new`)).status(), 403);
});

test('a form without its token is refused', async () => {
    const page = await open(browser);
    await signIn(page);
    const status = await page.evaluate(async () => (await fetch('/feeds/act', { method: 'POST', body: new URLSearchParams({ act: 'pause', 'feeds[]': 'loads' }) })).status);
    assert.equal(status, 419);
});

test('each thing that is wrong with a system has its own message', async () => {
    const page = await open(browser);
    await signIn(page);
    await page.goto(`${base}/systems/weighbridge`);
    const [host, port, database, user] = await Promise.all(['host', 'port', 'database', 'user'].map((f) => page.inputValue(`#${f}`)));
    const tries = [
        ['nowhere', { host: 'no-such-host.invalid', port, database, user }, /cannot be resolved/],
        ['closed', { host, port: '1', database, user }, /nothing answers on port 1/],
        ['badpass', { host, port, database, user }, /refuses the password of user weighbridge_reader/],
    ];
    for (const [name, fields, message] of tries) {
        await page.goto(`${base}/systems/new`);
        await page.fill('#name', name);
        for (const [field, value] of Object.entries(fields)) await page.fill(`#${field}`, value);
        await page.fill('#secret', 'pa55word-marker-8841');
        await page.getByRole('button', { name: 'Add and test' }).click();
        await page.locator('.finding').first().waitFor();
        assert.match(await page.locator('.finding').allInnerTexts().then((t) => t.join('\n')), message);
        assert.ok(!(await page.content()).includes('pa55word-marker-8841'), 'the password is not shown again');
        await page.fill('#confirm', name);
        await page.getByRole('button', { name: 'Remove system' }).click();
        await page.getByText(`${name} is removed.`).waitFor();
    }
    await page.goto(`${base}/audit`);
    assert.ok(!(await page.content()).includes('pa55word-marker-8841'));
    assert.ok(!readFileSync(`${process.env.LIGHTERMAN_VAR}/log/web.log`, 'utf8').includes('pa55word-marker-8841'));
});

test('a system that feeds use is not removed', async () => {
    const page = await open(browser);
    await signIn(page);
    await page.goto(`${base}/systems/weighbridge`);
    await page.fill('#confirm', 'weighbridge');
    await page.getByRole('button', { name: 'Remove system' }).click();
    await page.getByRole('alert').waitFor();
    assert.match(await page.getByRole('alert').innerText(), /feeds use it/);
});
