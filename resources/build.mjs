// Builds what pages need into public/build: one style sheet, one script, and the fonts. Nothing is fetched at run time.
import { cpSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import * as esbuild from 'esbuild';
import * as sass from 'sass';

const out = 'public/build';
mkdirSync(`${out}/fonts`, { recursive: true });

for (const [pkg, short] of [['next', 'next'], ['mono', 'mono']]) {
    for (const range of ['latin', 'latin-ext']) {
        cpSync(`node_modules/@fontsource-variable/atkinson-hyperlegible-${pkg}/files/atkinson-hyperlegible-${pkg}-${range}-wght-normal.woff2`, `${out}/fonts/${short}-${range}.woff2`);
    }
}

const css = sass.compile('resources/css/app.scss', { style: 'compressed', loadPaths: ['node_modules'], quietDeps: true });
writeFileSync(`${out}/app.css`, css.css);

// What only one page needs comes in a piece of its own.
rmSync(`${out}/pieces`, { recursive: true, force: true });
await esbuild.build({ entryPoints: ['resources/js/app.js'], bundle: true, splitting: true, format: 'esm', minify: true, target: 'es2022', outdir: out, chunkNames: 'pieces/[name]-[hash]', logLevel: 'warning' });
