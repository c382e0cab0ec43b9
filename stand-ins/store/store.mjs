#!/usr/bin/env node
// Plays an object store that speaks the S3 protocol, as far as keeping, reading, listing, copying and removing objects goes.
//
//   store.mjs FOLDER PORT BUCKET    keeps the objects of one bucket as files in FOLDER; serves on loopback
//
// STORE_KEY and STORE_SECRET say who may come in; requests are signed with them (AWS Signature Version 4). What a real store
// does for a client that has bad luck can be had on purpose: a file FOLDER/.fail with a number makes that many requests fail,
// FOLDER/.fail-head that many questions about an object, FOLDER/.fail-put has that many writes answered as if all were well,
// with an error for what they hold; FOLDER/.cut with a number of bytes and a number of answers breaks off so
// many larger objects that are read after that many bytes; FOLDER/.alter has that many come with one byte changed. Who asks for
// checksums is told the SHA-256 of a whole object.
import { createHash, createHmac, randomUUID, timingSafeEqual } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, statSync, writeFileSync, createReadStream } from 'node:fs';
import { createServer } from 'node:http';

const [folder, port, bucket] = process.argv.slice(2);
const { STORE_KEY: access, STORE_SECRET: secret } = process.env;
if (!folder || !port || !bucket || !access || !secret) {
    console.error('store: name the folder, the port and the bucket, and set STORE_KEY and STORE_SECRET.');
    process.exit(1);
}
const objects = `${folder}/objects`;
mkdirSync(objects, { recursive: true });

const escape = (text) => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
// As the signature's rules have it: everything but letters, digits and -._~
const encode = (text) => encodeURIComponent(text).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);
const hash = (data) => createHash('sha256').update(data).digest('hex');
const hmac = (key, data) => createHmac('sha256', key).update(data).digest();
// A key may hold anything a file name may not, and be longer than one.
const place = (key) => `${objects}/${encode(key).match(/.{1,200}/g).join('/,')}`;

// Whether a request was signed by who may come in. https://docs.aws.amazon.com/AmazonS3/latest/API/sig-v4-header-based-auth.html
function isSigned(request, path, query, body) {
    const said = /^AWS4-HMAC-SHA256 Credential=([^/]+)\/(\d+)\/([^/]+)\/s3\/aws4_request, ?SignedHeaders=([^,]+), ?Signature=([0-9a-f]{64})$/.exec(request.headers.authorization ?? '');
    if (!said || said[1] !== access) return false;
    const [, , day, region, names, signature] = said;
    const payload = request.headers['x-amz-content-sha256'] ?? '';
    if (payload !== 'UNSIGNED-PAYLOAD' && payload !== hash(body)) return false;
    const headers = names.split(';').map((n) => `${n}:${(request.headers[n] ?? '').trim().replace(/ +/g, ' ')}\n`).join('');
    const asked = [...query].map(([k, v]) => `${encode(k)}=${encode(v)}`).sort().join('&');
    const canonical = [request.method, path, asked, headers, names, payload].join('\n');
    const text = ['AWS4-HMAC-SHA256', request.headers['x-amz-date'], `${day}/${region}/s3/aws4_request`, hash(canonical)].join('\n');
    const key = hmac(hmac(hmac(hmac(`AWS4${secret}`, day), region), 's3'), 'aws4_request');
    return timingSafeEqual(Buffer.from(hmac(key, text).toString('hex')), Buffer.from(signature));
}

function* keys(below = objects, begun = '') {
    for (const entry of readdirSync(below, { withFileTypes: true })) {
        const name = begun + entry.name.replace(/^,/, '');
        if (entry.isDirectory()) yield* keys(`${below}/${entry.name}`, name);
        else if (!entry.name.endsWith('.new')) yield decodeURIComponent(name);
    }
}

function list(query) {
    const prefix = query.get('prefix') ?? '';
    const mark = query.get('delimiter') ?? '';
    const most = Number(query.get('max-keys') ?? 1000);
    const after = query.get('continuation-token') ?? query.get('start-after') ?? '';
    const found = new Map();
    for (const key of keys()) {
        if (!key.startsWith(prefix)) continue;
        const cut = mark === '' ? -1 : key.indexOf(mark, prefix.length);
        found.set(cut < 0 ? key : key.slice(0, cut + mark.length), cut < 0);
    }
    const names = [...found.keys()].filter((n) => n > after).sort();
    const some = names.slice(0, most);
    const one = (key) => {
        const stat = statSync(place(key));
        return `<Contents><Key>${escape(key)}</Key><LastModified>${stat.mtime.toISOString()}</LastModified><ETag>&quot;${stat.ino}-${stat.mtimeMs}&quot;</ETag><Size>${stat.size}</Size><StorageClass>STANDARD</StorageClass></Contents>`;
    };
    const more = names.length > some.length;
    return `<?xml version="1.0" encoding="UTF-8"?><ListBucketResult xmlns="http://s3.amazonaws.com/doc/2006-03-01/"><Name>${bucket}</Name><Prefix>${escape(prefix)}</Prefix><KeyCount>${some.length}</KeyCount><MaxKeys>${most}</MaxKeys><IsTruncated>${more}</IsTruncated>${more ? `<NextContinuationToken>${escape(some.at(-1))}</NextContinuationToken>` : ''}${some.map((n) => (found.get(n) ? one(n) : `<CommonPrefixes><Prefix>${escape(n)}</Prefix></CommonPrefixes>`)).join('')}</ListBucketResult>`;
}

const error = (code, status) => ({ status, body: `<?xml version="1.0" encoding="UTF-8"?><Error><Code>${code}</Code><Message>${code}</Message></Error>` });

function put(path, body, onlyNew) {
    mkdirSync(path.slice(0, path.lastIndexOf('/')), { recursive: true });
    // Nothing else runs in between.
    if (onlyNew && existsSync(path)) return false;
    writeFileSync(`${path}.new`, body);
    renameSync(`${path}.new`, path);
    return true;
}

// A large object that comes in parts.
function upload(request, parts, query, body, at) {
    if (!existsSync(parts)) return error('NoSuchUpload', 404);
    if (request.method === 'PUT') {
        writeFileSync(`${parts}/${query.get('partNumber').padStart(6, '0')}`, body);
        return { status: 200, headers: { ETag: `"${hash(body).slice(0, 32)}"` } };
    }
    if (request.method === 'POST') put(at, Buffer.concat(readdirSync(parts).sort().map((n) => readFileSync(`${parts}/${n}`))), false);
    rmSync(parts, { recursive: true });
    return request.method === 'POST' ? { status: 200, body: '<?xml version="1.0" encoding="UTF-8"?><CompleteMultipartUploadResult><ETag>&quot;whole&quot;</ETag></CompleteMultipartUploadResult>' } : { status: 204 };
}

// Whether one of so many requests that are to fail is this one; a second number says how many go well before.
function hasBadLuck(file) {
    const [left, before = 0] = existsSync(`${folder}/${file}`) ? readFileSync(`${folder}/${file}`, 'utf8').split(' ').map(Number) : [0];
    if (left > 0) writeFileSync(`${folder}/${file}`, before > 0 ? `${left} ${before - 1}` : String(left - 1));
    return left > 0 && before === 0;
}

// After how many bytes an object of some size breaks off; null for one that does not.
function cutAfter(size) {
    const [bytes, left] = existsSync(`${folder}/.cut`) ? readFileSync(`${folder}/.cut`, 'utf8').split(' ').map(Number) : [0, 0];
    if (left === 0 || size <= bytes) return null;
    writeFileSync(`${folder}/.cut`, `${bytes} ${left - 1}`);
    return bytes;
}

function answer(request, path, query, body) {
    if (hasBadLuck('.fail')) return error('SlowDown', 503);
    if (!isSigned(request, path, query, body)) return error('SignatureDoesNotMatch', 403);
    const [, own, ...rest] = path.split('/');
    if (decodeURIComponent(own) !== bucket) return error('NoSuchBucket', 404);
    const key = decodeURIComponent(rest.join('/'));
    if (key === '') return request.method === 'GET' ? { status: 200, body: list(query) } : request.method === 'HEAD' ? { status: 200 } : error('MethodNotAllowed', 405);
    const at = place(key);
    if (query.has('uploads') && request.method === 'POST') {
        const id = randomUUID();
        mkdirSync(`${folder}/parts/${id}`, { recursive: true });
        return { status: 200, body: `<?xml version="1.0" encoding="UTF-8"?><InitiateMultipartUploadResult><Bucket>${bucket}</Bucket><Key>${escape(key)}</Key><UploadId>${id}</UploadId></InitiateMultipartUploadResult>` };
    }
    if (query.has('uploadId')) return upload(request, `${folder}/parts/${query.get('uploadId').replace(/[^\da-f-]/g, '')}`, query, body, at);
    const there = existsSync(at) && statSync(at).isFile();
    if (request.method === 'PUT' && hasBadLuck('.fail-put')) return error('InternalError', 200);
    if (request.method === 'PUT') {
        const from = request.headers['x-amz-copy-source'];
        if (from !== undefined) {
            const source = place(decodeURIComponent(from).replace(/^\/?[^/]+\//, ''));
            if (!existsSync(source)) return error('NoSuchKey', 404);
            put(at, readFileSync(source), false);
            return { status: 200, body: `<?xml version="1.0" encoding="UTF-8"?><CopyObjectResult><LastModified>${new Date().toISOString()}</LastModified><ETag>&quot;copy&quot;</ETag></CopyObjectResult>` };
        }
        return put(at, body, request.headers['if-none-match'] === '*') ? { status: 200, headers: { ETag: `"${hash(body).slice(0, 32)}"` } } : error('PreconditionFailed', 412);
    }
    if (request.method === 'DELETE') {
        rmSync(at, { force: true });
        return { status: 204 };
    }
    if (request.method === 'HEAD' && hasBadLuck('.fail-head')) return { status: 503 };
    if (!there) return request.method === 'HEAD' ? { status: 404 } : error('NoSuchKey', 404);
    const stat = statSync(at);
    const range = /^bytes=(\d+)-(\d*)$/.exec(request.headers.range ?? '');
    const [first, last] = range ? [Number(range[1]), range[2] === '' ? stat.size - 1 : Math.min(Number(range[2]), stat.size - 1)] : [0, stat.size - 1];
    const headers = { 'Content-Length': Math.max(0, last - first + 1), 'Last-Modified': stat.mtime.toUTCString(), ETag: `"${stat.ino}-${stat.mtimeMs}"`, 'Accept-Ranges': 'bytes', ...(range ? { 'Content-Range': `bytes ${first}-${last}/${stat.size}` } : {}) };
    if (!range && request.method === 'GET' && request.headers['x-amz-checksum-mode'] === 'ENABLED') headers['x-amz-checksum-sha256'] = createHash('sha256').update(readFileSync(at)).digest('base64');
    return request.method === 'HEAD' ? { status: 200, headers } : { status: range ? 206 : 200, headers, stream: stat.size === 0 ? null : createReadStream(at, { start: first, end: last }) };
}

createServer((request, response) => {
    const pieces = [];
    request.on('data', (piece) => pieces.push(piece));
    request.on('end', () => {
        const cut = request.url.indexOf('?');
        const path = cut < 0 ? request.url : request.url.slice(0, cut);
        let told;
        try {
            told = answer(request, path, new URLSearchParams(cut < 0 ? '' : request.url.slice(cut + 1)), Buffer.concat(pieces));
        } catch (e) {
            console.error(e);
            told = error('InternalError', 500);
        }
        response.writeHead(told.status, { 'Content-Type': 'application/xml', ...told.headers });
        const most = told.stream ? cutAfter(told.headers['Content-Length']) : null;
        if (most !== null) response.write(readFileSync(told.stream.path).subarray(0, most), () => response.destroy());
        else if (told.stream && hasBadLuck('.alter')) {
            const data = readFileSync(told.stream.path);
            data[data.length >> 1] ^= 1;
            response.end(data);
        } else if (told.stream) told.stream.pipe(response);
        else response.end(request.method === 'HEAD' ? undefined : told.body);
    });
}).listen(Number(port), '127.0.0.1');
