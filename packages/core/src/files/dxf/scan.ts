import { FileError } from '../contract';

/** Index of group pairs: codes and value spans, undecoded. */
export interface DxfIndex {
  readonly bytes: Uint8Array;
  readonly count: number;
  readonly codes: Int32Array;
  /** Offset of the code line. */
  readonly lines: Int32Array;
  /** Value span without line end. */
  readonly starts: Int32Array;
  readonly ends: Int32Array;
  readonly eol: string;
}

/** Part of the 22-byte binary DXF sentinel, at offset 8. */
const BINARY = 'Binary DXF\r\n\x1a\0';

/** Whether a file is binary DXF. */
const isBinary = (bytes: Uint8Array) => [...BINARY].every((c, i) => bytes[8 + i] === c.charCodeAt(0));

/** Offset of the line feed after `start`; the length if none. */
function endOfLine(bytes: Uint8Array, start: number): number {
  // Lines are short, so a byte loop is fastest.
  const near = Math.min(bytes.length, start + 48);
  let i = start;
  while (i < near && bytes[i] !== 10) i++;
  if (i < near || near === bytes.length) return i;
  const found = bytes.indexOf(10, i);
  return found < 0 ? bytes.length : found;
}

/**
 * Indexes an ASCII DXF file.
 * @throws FileError `dxf-binary`, `dxf-not`, `dxf-truncated`
 */
export function scanDxf(bytes: Uint8Array): DxfIndex {
  if (isBinary(bytes)) throw new FileError('dxf-binary', 'This is a binary DXF file. Save it as ASCII DXF.', 0);
  const newline = bytes.indexOf(10);
  if (newline < 0) throw new FileError('dxf-not', 'This is not a DXF file: it has no lines.', 0);
  const eol = newline > 0 && bytes[newline - 1] === 13 ? '\r\n' : '\n';
  const bom = bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? 3 : 0;

  // A pair has at least four bytes.
  const room = (bytes.length >> 2) + 1;
  const codes = new Int32Array(room);
  const lines = new Int32Array(room);
  const starts = new Int32Array(room);
  const ends = new Int32Array(room);
  let count = 0;
  let i = bom;
  let ended = false;
  while (i < bytes.length && !ended) {
    const line = i;
    while (bytes[i] === 32 || bytes[i] === 9) i++;
    const negative = bytes[i] === 45;
    if (negative) i++;
    let code = 0;
    const digits = i;
    for (let c = bytes[i]!; c >= 48 && c <= 57; c = bytes[++i]!) code = code * 10 + c - 48;
    const none = i === digits;
    while (bytes[i] === 32 || bytes[i] === 9 || bytes[i] === 13) i++;
    if (none || i - digits > 8 || (i < bytes.length && bytes[i] !== 10)) {
      if (none && i >= bytes.length) break;
      throw new FileError(
        count ? 'dxf-syntax' : 'dxf-not',
        count ? 'A group code was expected.' : 'This is not a DXF file: it does not begin with a group code.',
        line,
      );
    }
    i++;
    if (i >= bytes.length) throw new FileError('dxf-truncated', 'The file ends in the middle of a group.', line);
    let end = endOfLine(bytes, i);
    const next = Math.min(end + 1, bytes.length);
    if (end > i && bytes[end - 1] === 13) end--;
    codes[count] = negative ? -code : code;
    lines[count] = line;
    starts[count] = i;
    ends[count] = end;
    ended = code === 0 && end - i === 3 && bytes[i] === 69 && bytes[i + 1] === 79 && bytes[i + 2] === 70;
    count++;
    i = next;
  }
  if (!ended) throw new FileError('dxf-truncated', 'The file ends before EOF.', bytes.length);
  return { bytes, count, codes: codes.slice(0, count), lines: lines.slice(0, count), starts: starts.slice(0, count), ends: ends.slice(0, count), eol };
}
