// Reads Parquet files with a reader that shares nothing with what wrote them, and prints a JSON line for each row:
// decimals digit by digit, dates as days and moments as microseconds since 1970, bytes in hexadecimal.
import { asyncBufferFromFile, parquetMetadataAsync, parquetReadObjects } from 'hyparquet';
import { compressors } from 'hyparquet-compressors';

const hex = (bytes) => Buffer.from(bytes).toString('hex');
const integer = (raw) => (raw instanceof Uint8Array ? BigInt.asIntN(8 * raw.length, BigInt(`0x${hex(raw)}`)) : BigInt(raw));
const decimal = (raw, scale) => {
    const n = integer(raw);
    const digits = (n < 0n ? -n : n).toString().padStart(scale + 1, '0');
    return (n < 0n ? '-' : '') + (scale === 0 ? digits : `${digits.slice(0, -scale)}.${digits.slice(-scale)}`);
};
const parsers = { dateFromDays: (d) => `${d}`, timestampFromMicroseconds: (t) => `${t}`, stringFromBytes: (b) => b && new TextDecoder('utf-8', { ignoreBOM: true }).decode(b), jsonFromBytes: (b) => b && new TextDecoder().decode(b) };

for (const path of process.argv.slice(2)) {
    const file = await asyncBufferFromFile(path);
    const metadata = await parquetMetadataAsync(file);
    const scales = {};
    for (const element of metadata.schema) {
        if (element.converted_type === 'DECIMAL') {
            // Its own conversion goes through floating-point numbers.
            scales[element.name] = element.scale ?? 0;
            delete element.converted_type;
            delete element.logical_type;
        }
    }
    for (const row of await parquetReadObjects({ file, metadata, compressors, parsers, utf8: false })) {
        console.log(JSON.stringify(row, (name, v) => {
            if (v !== null && v !== undefined && name in scales) return decimal(v, scales[name]);
            if (typeof v === 'bigint') return `${v}`;
            if (typeof v === 'number') return Object.is(v, -0) ? '-0' : `${v}`;
            if (v instanceof Uint8Array) return hex(v);
            return v;
        }));
    }
}
