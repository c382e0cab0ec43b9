// Writes an Avro file with nested values to standard output, by a writer that shares nothing with what reads it.
import avro from 'avsc';

const schema = {
    type: 'record', name: 'Sample', namespace: 'lab', fields: [
        { name: 'id', type: 'int' },
        { name: 'kind', type: { type: 'enum', name: 'Kind', symbols: ['APPLE', 'PEAR'] } },
        { name: 'price', type: { type: 'fixed', name: 'Price', size: 5, logicalType: 'decimal', precision: 9, scale: 2 } },
        { name: 'at', type: { type: 'long', logicalType: 'timestamp-millis' } },
        { name: 'tags', type: { type: 'array', items: 'string' } },
        { name: 'more', type: { type: 'map', values: 'int' } },
        { name: 'parts', type: { type: 'record', name: 'Part', fields: [{ name: 'north', type: 'int' }, { name: 'inner', type: ['null', 'Part'] }] } },
        { name: 'either', type: ['string', 'int'] },
    ],
};
const fixed = (n) => { const b = Buffer.alloc(8); b.writeBigInt64BE(BigInt(n)); return b.subarray(3); };
const encoder = new avro.streams.BlockEncoder(schema, { codec: 'deflate' });
encoder.pipe(process.stdout);
encoder.write({ id: 1, kind: 'APPLE', price: fixed(-1234), at: Date.UTC(2026, 10, 24, 10, 0, 0, 500), tags: ['a', 'b'], more: { x: 1, y: 2 }, parts: { north: 7, inner: { north: 8, inner: null } }, either: 'text' });
encoder.write({ id: 2, kind: 'PEAR', price: fixed(0), at: -1, tags: [], more: {}, parts: { north: 0, inner: null }, either: 5 });
encoder.end();
