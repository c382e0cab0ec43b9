// Reads an Avro file with a reader that shares nothing with what wrote it, and prints a JSON line for each row: unscaled
// decimals digit by digit, dates as days and moments as microseconds, bytes in hexadecimal.
import avro from 'avsc';

const long = avro.types.LongType.__with({
    fromBuffer: (b) => b.readBigInt64LE(), toBuffer: (n) => { const b = Buffer.alloc(8); b.writeBigInt64LE(BigInt(n)); return b; },
    fromJSON: BigInt, toJSON: Number, isValid: (n) => typeof n === 'bigint', compare: (a, b) => (a < b ? -1 : Number(a > b)),
});
const decimals = new Set();
const parse = (schema) => avro.Type.forSchema(schema, { typeHook: (s) => (s === 'long' || s.type === 'long' ? long : undefined) });
const tell = (name, boxed) => {
    const v = boxed !== null && typeof boxed === 'object' && ! Buffer.isBuffer(boxed) && ! Array.isArray(boxed) ? Object.values(boxed)[0] : boxed;
    if (Array.isArray(v)) return v.map((element) => tell(name, element));
    return v === null ? null : Buffer.isBuffer(v) ? (decimals.has(name) ? BigInt.asIntN(8 * v.length, BigInt(`0x${v.toString('hex') || '0'}`)).toString() : v.toString('hex')) : String(v);
};
avro.createFileDecoder(process.argv[2], { parseHook: (schema) => {
    for (const field of schema.fields) if (JSON.stringify(field.type).includes('"decimal"')) decimals.add(field.name);
    return parse(schema);
} }).on('data', (row) => {
    console.log(JSON.stringify(Object.fromEntries(Object.entries(row).map(([name, boxed]) => [name, tell(name, boxed)]))));
}).on('error', (e) => { console.error(e.message); process.exit(1); });
