// Drives the real pages of a whole Lighterman that bin/test has started.
import { execFile } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { promisify } from 'node:util';
import { chromium } from 'playwright-core';

const home = process.env.LIGHTERMAN_VAR;
export const base = `http://127.0.0.1:${readFileSync(`${home}/run/web.port`, 'utf8')}`;
const axeSource = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

export const launch = () => chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--headless=new', '--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
});

// Writes a statement into the editor of the SQL page, which covers the field of its form.
export const write = async (page, statement) => {
    await page.locator('.cm-content').fill(statement);
    await page.keyboard.press('Escape');
};

// A page on which any script error, or any request to another host, is kept as a complaint.
export async function open(browser, options = {}) {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, ...options });
    const page = await context.newPage();
    page.complaints = [];
    page.on('pageerror', (e) => page.complaints.push(e.message));
    page.on('console', (m) => m.type() === 'error' && !/status of (4\d\d)/.test(m.text()) && page.complaints.push(m.text()));
    page.on('request', (r) => !r.url().startsWith(base) && !r.url().startsWith('data:') && page.complaints.push(`left the host: ${r.url()}`));
    return page;
}

export async function signIn(page, who = 'engineer') {
    await page.goto(`${base}/sign-in`);
    await page.fill('#name', who);
    await page.fill('#password', readFileSync(`${home}/run/sign-in.${who}`, 'utf8'));
    await page.click('button.primary');
    await page.waitForURL('**/watch');
}

// A page on which an engineer has signed in, in a browser of its own.
export async function engineersPage() {
    const page = await open(await launch());
    await signIn(page);
    return page;
}

const run = promisify(execFile);
export const lighterman = async (...args) => (await run('php', ['bin/lighterman', ...args])).stdout;
export const traffic = async (...args) => (await run('bin/traffic', args)).stdout;
export const sql = async (database, statement) => (await run('psql', ['-X', '-At', '-h', '127.0.0.1', '-p', readFileSync(`${home}/pg/port`, 'utf8'), '-U', 'lighterman', '-d', database, '-c', statement], { env: { ...process.env, PGPASSWORD: readFileSync(`${home}/pg/password`, 'utf8').trim() } })).stdout.trim();

export async function until(what, holds, seconds = 40) {
    const end = Date.now() + seconds * 1000;
    let last;
    while (Date.now() < end) {
        if ((last = await holds())) return last;
        await new Promise((r) => setTimeout(r, 300));
    }
    throw new Error(`not within ${seconds} s: ${what}`);
}

export const feed = async (name) => JSON.parse(await lighterman('feed:show', name, '--json'));

// Violations of WCAG 2.2 A and AA on the page as it stands.
export async function violations(page) {
    await page.evaluate(axeSource);
    const result = await page.evaluate(() => window.axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] }));
    return result.violations.map((v) => `${v.id}: ${v.nodes.slice(0, 3).map((n) => n.target.join(' ') + ' ' + (n.any[0]?.message ?? '')).join(' | ')}`);
}
