import { Inflate, deflateSync, inflateSync } from 'fflate';
import { FileError } from '../contract';
import { Edit } from '../edits';

/** A zip entry with its byte ranges. */
export interface ZipEntry {
  readonly name: string;
  readonly method: number;
  readonly packed: number;
  readonly size: number;
  /** Range of the local header, data and data descriptor. */
  readonly start: number;
  readonly dataStart: number;
  readonly end: number;
  /** Range of its central directory record. */
  readonly record: number;
  readonly recordEnd: number;
}

/** A zip index: entries by name, nothing unpacked. */
export interface ZipIndex {
  readonly bytes: Uint8Array;
  /** By name; the first if there are several. */
  readonly entries: ReadonlyMap<string, ZipEntry>;
  /** All entries in central directory order. */
  readonly list: readonly ZipEntry[];
  readonly directory: number;
  readonly end: number;
}

const LOCAL = 0x04034b50;
const CENTRAL = 0x02014b50;
const END = 0x06054b50;
const DESCRIPTOR = 0x08074b50;

/** The largest part that is unpacked; property parts are a few kilobytes. */
const LARGEST_PART = 16 * 1024 * 1024;

const utf8 = new TextDecoder();
/** Copied: `slice` of a Buffer would share memory with the file. */
const copyOf = (bytes: Uint8Array, from: number, to: number) => new Uint8Array(bytes.subarray(from, to));

const view = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/**
 * Indexes a zip archive (PKWARE APPNOTE, as profiled by ECMA-376 part 2).
 * @throws FileError `zip-not`, `zip-broken`, `zip-64`
 */
export function scanZip(bytes: Uint8Array): ZipIndex {
  const data = view(bytes);
  if (bytes.length < 22 || data.getUint32(0, true) !== LOCAL)
    throw new FileError('zip-not', 'This is not an Open Packaging document; it may be protected by a password.', 0);
  let end = bytes.length - 22;
  // The comment may have up to 65,535 bytes.
  for (const first = Math.max(0, bytes.length - 22 - 65_535); end >= first && data.getUint32(end, true) !== END; end--);
  if (end < 0 || data.getUint32(end, true) !== END) throw new FileError('zip-broken', 'The document ends before its central directory.', bytes.length);
  const count = data.getUint16(end + 10, true);
  const directory = data.getUint32(end + 16, true);
  if (count === 0xffff || directory === 0xffffffff) throw new FileError('zip-64', 'The document is packed as ZIP64, which Rule does not edit.');
  const broken = (at: number): never => {
    throw new FileError('zip-broken', 'The central directory of the document is broken.', at);
  };
  const list: ZipEntry[] = [];
  let at = directory;
  for (let n = 0; n < count; n++) {
    if (at + 46 > end || data.getUint32(at, true) !== CENTRAL) broken(at);
    const [nameLength, extra, comment] = [data.getUint16(at + 28, true), data.getUint16(at + 30, true), data.getUint16(at + 32, true)];
    const name = utf8.decode(bytes.subarray(at + 46, at + 46 + nameLength));
    const [packed, size, start] = [data.getUint32(at + 20, true), data.getUint32(at + 24, true), data.getUint32(at + 42, true)];
    if (start + 30 > directory || data.getUint32(start, true) !== LOCAL) broken(at);
    const dataStart = start + 30 + data.getUint16(start + 26, true) + data.getUint16(start + 28, true);
    let entryEnd = dataStart + packed;
    if (entryEnd > directory) broken(at);
    // Bit 3: a data descriptor follows, with or without a signature.
    if (data.getUint16(at + 8, true) & 8 && entryEnd + 12 <= directory) entryEnd += data.getUint32(entryEnd, true) === DESCRIPTOR ? 16 : 12;
    list.push({
      name,
      method: data.getUint16(at + 10, true),
      packed,
      size,
      start,
      dataStart,
      end: entryEnd,
      record: at,
      recordEnd: at + 46 + nameLength + extra + comment,
    });
    at += 46 + nameLength + extra + comment;
  }
  // Legacy encodings can make two names decode alike; neither may be lost.
  const entries = new Map<string, ZipEntry>();
  for (const entry of list) if (!entries.has(entry.name)) entries.set(entry.name, entry);
  return { bytes, entries, list, directory, end };
}

/**
 * Unpacks an entry.
 * @throws FileError if it is broken, too large or uses an unknown method
 */
export function unpack({ bytes }: ZipIndex, entry: ZipEntry): Uint8Array {
  if (entry.size > LARGEST_PART) throw new FileError('zip-large', `The part ${entry.name} unpacks to ${Math.round(entry.size / 2 ** 20)} MiB.`);
  const packed = bytes.subarray(entry.dataStart, entry.dataStart + entry.packed);
  if (entry.method === 0) return packed;
  if (entry.method !== 8) throw new FileError('zip-method', `The part ${entry.name} uses a compression method that Rule does not support.`);
  try {
    return inflateSync(packed, { out: new Uint8Array(entry.size) });
  } catch {
    throw new FileError('zip-broken', `The part ${entry.name} cannot be unpacked.`, entry.dataStart);
  }
}

/** Bytes unpacked per step. */
const PIECE = 1 << 16;

/**
 * Unpacks an entry of any size in pieces.
 * @throws FileError if it is broken or larger than declared
 */
export function* unpackPieces({ bytes }: ZipIndex, entry: ZipEntry): Generator<Uint8Array> {
  const packed = bytes.subarray(entry.dataStart, entry.dataStart + entry.packed);
  const broken = () => new FileError('zip-broken', `The part ${entry.name} cannot be unpacked.`, entry.dataStart);
  if (entry.method === 0) {
    yield packed;
    return;
  }
  if (entry.method !== 8) throw new FileError('zip-method', `The part ${entry.name} uses a compression method that Rule does not support.`);
  const out: Uint8Array[] = [];
  let total = 0;
  const inflate = new Inflate((piece) => {
    total += piece.length;
    out.push(piece);
  });
  for (let at = 0; at < packed.length; at += PIECE) {
    try {
      inflate.push(packed.subarray(at, at + PIECE), at + PIECE >= packed.length);
    } catch {
      throw broken();
    }
    if (total > entry.size) throw broken();
    yield* out.splice(0);
  }
  if (total !== entry.size) throw broken();
}

const TABLE = Uint32Array.from({ length: 256 }, (_, n) => {
  let c = n;
  for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
  return c >>> 0;
});

/** CRC-32 as used by zip. */
function crc32(bytes: Uint8Array): number {
  let c = 0xffffffff;
  for (const byte of bytes) c = TABLE[(c ^ byte) & 0xff]! ^ (c >>> 8);
  return (c ^ 0xffffffff) >>> 0;
}

const joined = (...chunks: readonly Uint8Array[]): Uint8Array => {
  const out = new Uint8Array(chunks.reduce((sum, chunk) => sum + chunk.length, 0));
  let to = 0;
  for (const chunk of chunks) {
    out.set(chunk, to);
    to += chunk.length;
  }
  return out;
};

/** Edits that replace parts. Other entries keep their raw bytes; only the central directory is rewritten, as it holds offsets. */
export function replaceParts(index: ZipIndex, parts: ReadonlyMap<string, Uint8Array>): Edit[] {
  const { bytes, entries, directory, end } = index;
  const edits: Edit[] = [];
  const changed = new Map<string, { crc: number; packed: number; size: number }>();
  const isReplaced = (entry: ZipEntry) => parts.has(entry.name) && entries.get(entry.name) === entry;
  const records: Uint8Array[] = [];
  const local = (name: string, content: Uint8Array, stamp: Uint8Array): Uint8Array => {
    const packed = deflateSync(content, { level: 6 });
    const crc = crc32(content);
    changed.set(name, { crc, packed: packed.length, size: content.length });
    const nameBytes = new TextEncoder().encode(name);
    const header = new Uint8Array(30);
    const h = view(header);
    h.setUint32(0, LOCAL, true);
    h.setUint16(4, 20, true);
    h.setUint16(6, 0x800, true);
    h.setUint16(8, 8, true);
    header.set(stamp, 10);
    h.setUint32(14, crc, true);
    h.setUint32(18, packed.length, true);
    h.setUint32(22, content.length, true);
    h.setUint16(26, nameBytes.length, true);
    return joined(header, nameBytes, packed);
  };
  const inFile = [...index.list].sort((a, b) => a.start - b.start);
  let shift = 0;
  const starts = new Map<ZipEntry | string, number>();
  for (const entry of inFile) {
    starts.set(entry, entry.start + shift);
    if (!isReplaced(entry)) continue;
    const content = parts.get(entry.name)!;
    const insert = local(entry.name, content, bytes.subarray(entry.start + 10, entry.start + 14));
    edits.push({ offset: entry.start, length: entry.end - entry.start, insert });
    shift += insert.length - (entry.end - entry.start);
  }
  // 1 January 1980, the earliest date zip can hold; used for new parts.
  const stamp = Uint8Array.of(0, 0, 0x21, 0);
  const added: Uint8Array[] = [];
  for (const [name, content] of parts) {
    if (entries.has(name)) continue;
    starts.set(name, directory + shift);
    const insert = local(name, content, stamp);
    added.push(insert);
    shift += insert.length;
  }
  for (const entry of index.list) {
    const record = copyOf(bytes, entry.record, entry.recordEnd);
    const r = view(record);
    const now = isReplaced(entry) ? changed.get(entry.name) : undefined;
    if (now) {
      r.setUint16(8, (r.getUint16(8, true) & ~8) | 0x800, true);
      r.setUint16(10, 8, true);
      r.setUint32(16, now.crc, true);
      r.setUint32(20, now.packed, true);
      r.setUint32(24, now.size, true);
    }
    r.setUint32(42, starts.get(entry)!, true);
    records.push(record);
  }
  for (const name of parts.keys()) {
    if (entries.has(name)) continue;
    const now = changed.get(name)!;
    const nameBytes = new TextEncoder().encode(name);
    const record = new Uint8Array(46);
    const r = view(record);
    r.setUint32(0, CENTRAL, true);
    r.setUint16(4, 20, true);
    r.setUint16(6, 20, true);
    r.setUint16(8, 0x800, true);
    r.setUint16(10, 8, true);
    record.set(stamp, 12);
    r.setUint32(16, now.crc, true);
    r.setUint32(20, now.packed, true);
    r.setUint32(24, now.size, true);
    r.setUint16(28, nameBytes.length, true);
    r.setUint32(42, starts.get(name)!, true);
    records.push(joined(record, nameBytes));
  }
  const tail = copyOf(bytes, end, bytes.length);
  const t = view(tail);
  const size = records.reduce((sum, record) => sum + record.length, 0);
  t.setUint16(8, records.length, true);
  t.setUint16(10, records.length, true);
  t.setUint32(12, size, true);
  t.setUint32(16, directory + shift, true);
  edits.push({ offset: directory, length: bytes.length - directory, insert: joined(...added, ...records, tail) });
  return edits;
}
