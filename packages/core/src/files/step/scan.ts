import { FileError } from '../contract';

/** Where one instance `#id=…;` stands: from the `#` to behind the semicolon, and where its right side begins. */
export interface InstanceSpan {
  readonly id: number;
  readonly start: number;
  readonly right: number;
  readonly end: number;
}

/** A header statement such as `FILE_NAME(…);`. */
export interface HeaderSpan {
  readonly keyword: string;
  readonly start: number;
  readonly end: number;
}

/** The index of a Part 21 file: spans only, nothing parsed. */
export interface StepIndex {
  readonly bytes: Uint8Array;
  readonly header: readonly HeaderSpan[];
  /** Instance spans in file order, as parallel arrays. */
  readonly ids: Int32Array;
  readonly starts: Int32Array;
  readonly rights: Int32Array;
  readonly ends: Int32Array;
  /** Positions in those arrays of the instances of the wanted types; `''` for complex instances. */
  readonly byType: ReadonlyMap<string, readonly number[]>;
  /** Position of an instance by its id. */
  readonly position: (id: number) => number | undefined;
  readonly maxId: number;
  /** Offset of the last data section's `ENDSEC`. */
  readonly dataEnd: number;
  /** Line end that the file uses. */
  readonly eol: string;
}

const APOSTROPHE = 39;
const SLASH = 47;
const STAR = 42;
const HASH = 35;
const SEMICOLON = 59;
const EQUALS = 61;
const PAREN = 40;

const isDigit = (c: number) => c >= 48 && c <= 57;
const isWord = (c: number) => (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95 || isDigit(c);
const isBlank = (c: number) => c === 32 || (c >= 9 && c <= 13);

const hashOf = (text: string): number => {
  let h = 0;
  for (let i = 0; i < text.length; i++) h = (h * 31 + (text.charCodeAt(i) & 0xdf)) | 0;
  return h;
};

/** Skips a comment or blanks at `i`; returns the first byte that is neither. */
export function skipBlank(bytes: Uint8Array, from: number): number {
  let i = from;
  for (;;) {
    while (i < bytes.length && isBlank(bytes[i]!)) i++;
    if (bytes[i] !== SLASH || bytes[i + 1] !== STAR) return i;
    i = endOfComment(bytes, i);
  }
}

function endOfComment(bytes: Uint8Array, start: number): number {
  for (let i = start + 2; i + 1 < bytes.length; i++) if (bytes[i] === STAR && bytes[i + 1] === SLASH) return i + 2;
  throw new FileError('step-truncated', 'A comment is not closed.', start);
}

/** Offset behind the closing apostrophe of the string that opens at `start`. */
export function endOfString(bytes: Uint8Array, start: number): number {
  let i = start + 1;
  for (;;) {
    // Most texts are short: looking byte by byte is quicker than asking for a search.
    const near = Math.min(bytes.length, i + 48);
    while (i < near && bytes[i] !== APOSTROPHE) i++;
    if (i === near) i = bytes.indexOf(APOSTROPHE, i);
    if (i < 0) throw new FileError('step-truncated', 'A text is not closed.', start);
    if (bytes[i + 1] !== APOSTROPHE) return i + 1;
    i += 2;
  }
}

/** Offset behind the semicolon that ends the statement at `start`. */
function endOfStatement(bytes: Uint8Array, start: number): number {
  const n = bytes.length;
  let i = start;
  while (i < n) {
    const c = bytes[i]!;
    if (c === SEMICOLON) return i + 1;
    if (c === APOSTROPHE) i = endOfString(bytes, i);
    else if (c === SLASH && bytes[i + 1] === STAR) i = endOfComment(bytes, i);
    else i++;
  }
  throw new FileError('step-truncated', 'The file ends in the middle of a statement.', start);
}

function keywordAt(bytes: Uint8Array, start: number): string {
  let end = start;
  while (end < bytes.length && (isWord(bytes[end]!) || bytes[end] === 45)) end++;
  let word = '';
  for (let i = start; i < end; i++) word += String.fromCharCode(bytes[i]!);
  return word.toUpperCase();
}

class Growing {
  private array: Int32Array;
  length = 0;
  constructor(expected: number) {
    this.array = new Int32Array(expected);
  }
  push(value: number): void {
    if (this.length === this.array.length) {
      const larger = new Int32Array(this.array.length * 2);
      larger.set(this.array);
      this.array = larger;
    }
    this.array[this.length++] = value;
  }
  done(): Int32Array {
    return this.array.subarray(0, this.length);
  }
}

const hashes = new WeakMap<readonly string[], ReadonlyMap<number, string>>();

/** The wanted names by their hashes, worked out once for every list of names. */
function hashesOf(wanted: readonly string[]): ReadonlyMap<number, string> {
  const known = hashes.get(wanted) ?? new Map(wanted.map((name) => [hashOf(name), name]));
  hashes.set(wanted, known);
  return known;
}

/**
 * Indexes a Part 21 file. Only statements are told apart; instances are parsed when they are asked for.
 * @param wanted entity names whose instances are to be found by type
 * @throws FileError `step-not`, `step-truncated`, `step-syntax`
 */
export function scanStep(bytes: Uint8Array, wanted: readonly string[]): StepIndex {
  const bom = bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? 3 : 0;
  let i = skipBlank(bytes, bom);
  if (keywordAt(bytes, i) !== 'ISO-10303-21') throw new FileError('step-not', 'This is not a STEP file: it does not begin with ISO-10303-21.', 0);
  i = endOfStatement(bytes, i);

  const byHash = hashesOf(wanted);
  const byType = new Map<string, number[]>([...wanted, ''].map((name) => [name, []]));
  const header: HeaderSpan[] = [];
  // An instance takes some sixty bytes; where there are more of them the lists grow.
  const expected = Math.max(64, bytes.length >> 5);
  const ids = new Growing(expected);
  const starts = new Growing(expected);
  const rights = new Growing(expected);
  const ends = new Growing(expected);
  let maxId = 0;
  let dataEnd = -1;
  let section: 'none' | 'header' | 'data' = 'none';
  let finished = false;

  while (!finished) {
    i = skipBlank(bytes, i);
    if (i >= bytes.length) throw new FileError('step-truncated', 'The file ends before END-ISO-10303-21.', i);
    const start = i;
    if (bytes[i] === HASH && section === 'data') {
      let id = 0;
      for (i++; isDigit(bytes[i]!); i++) id = id * 10 + bytes[i]! - 48;
      i = skipBlank(bytes, i);
      if (bytes[i] !== EQUALS) throw new FileError('step-syntax', `Instance #${id} has no right side.`, start);
      i = skipBlank(bytes, i + 1);
      const at = ids.length;
      ids.push(id);
      starts.push(start);
      rights.push(i);
      if (id > maxId) maxId = id;
      if (bytes[i] === PAREN) byType.get('')!.push(at);
      else {
        const wordStart = i;
        let h = 0;
        while (isWord(bytes[i]!)) h = (h * 31 + (bytes[i++]! & 0xdf)) | 0;
        const name = byHash.get(h);
        if (name?.length === i - wordStart && keywordAt(bytes, wordStart) === name) byType.get(name)!.push(at);
      }
      i = endOfStatement(bytes, i);
      ends.push(i);
      continue;
    }
    const keyword = keywordAt(bytes, i);
    if (keyword === '') throw new FileError('step-syntax', 'A statement does not begin with a name.', start);
    i = endOfStatement(bytes, i);
    if (keyword === 'HEADER') section = 'header';
    else if (keyword === 'DATA') section = 'data';
    else if (keyword === 'ENDSEC') {
      if (section === 'data') dataEnd = start;
      section = 'none';
    } else if (keyword === 'END-ISO-10303-21') finished = true;
    else if (section === 'header') header.push({ keyword, start, end: i });
    else if (section === 'data') throw new FileError('step-syntax', `${keyword} stands where an instance was expected.`, start);
  }
  if (dataEnd < 0) throw new FileError('step-truncated', 'The file has no data section.', bytes.length);

  const idList = ids.done();
  let positions: Map<number, number> | undefined;
  const newline = bytes.indexOf(10);
  return {
    bytes,
    header,
    ids: idList,
    starts: starts.done(),
    rights: rights.done(),
    ends: ends.done(),
    byType,
    position: (id) => {
      if (!positions) {
        positions = new Map();
        for (let k = 0; k < idList.length; k++) positions.set(idList[k]!, k);
      }
      return positions.get(id);
    },
    maxId,
    dataEnd,
    eol: newline > 0 && bytes[newline - 1] === 13 ? '\r\n' : '\n',
  };
}

/** The span of the instance at a position. */
export const spanAt = (index: StepIndex, position: number): InstanceSpan => ({
  id: index.ids[position]!,
  start: index.starts[position]!,
  right: index.rights[position]!,
  end: index.ends[position]!,
});

/**
 * Calls `visit(referrer, referred)` for every reference `#n` on the right side of an instance.
 * One pass over the bytes; texts and comments are passed over.
 */
export function eachReference(index: StepIndex, visit: (referrer: number, referred: number) => void): void {
  const { bytes } = index;
  for (let k = 0; k < index.ids.length; k++) {
    const end = index.ends[k]!;
    let i = index.rights[k]!;
    while (i < end) {
      const c = bytes[i]!;
      if (c === APOSTROPHE) i = endOfString(bytes, i);
      else if (c === SLASH && bytes[i + 1] === STAR) i = endOfComment(bytes, i);
      else if (c === HASH) {
        let id = 0;
        for (i++; isDigit(bytes[i]!); i++) id = id * 10 + bytes[i]! - 48;
        visit(index.ids[k]!, id);
      } else i++;
    }
  }
}
