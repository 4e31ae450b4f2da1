// AssemblyScript: fast scan of Part 21 instances, driven by `src/files/step/instances.ts` and built by `npm run wasm`. Memory layout: names
// to find, results, file window.

/** Maximum instances reported per call. */
const ROOM: i32 = 8192;
/** Maximum names. */
const NAMES: i32 = 64;

const HASHES: usize = 1024;
const REPORT: usize = HASHES + 4 * NAMES;
const IDS: usize = REPORT + 16;
const STARTS: usize = IDS + 4 * ROOM;
const RIGHTS: usize = STARTS + 4 * ROOM;
const ENDS: usize = RIGHTS + 4 * ROOM;
const MARKED: usize = ENDS + 4 * ROOM;
const NAMED: usize = MARKED + 4 * ROOM;
const WINDOW: usize = NAMED + 4 * ROOM;

/** Memory addresses, for the caller. */
export const room: i32 = ROOM;
export const hashes: usize = HASHES;
export const ids: usize = IDS;
export const window: usize = WINDOW;

/** Four numbers: marked instances, largest id, offset of the first statement not handled, and whether the window ends inside it. */
export const report: usize = REPORT;

function isBlank(c: u32): bool {
  return c == 32 || c - 9 < 5;
}

function isWord(c: u32): bool {
  return (c | 32) - 97 < 26 || c - 48 < 10 || c == 95;
}

/** Skips bytes, sixteen at a time, that contain none of three; stops within sixteen of the end. */
function nextOf(at: usize, end: usize, a: v128, b: v128, c: v128): usize {
  while (at + 16 <= end) {
    const bytes = v128.load(at);
    const found = i8x16.bitmask(v128.or(v128.or(i8x16.eq(bytes, a), i8x16.eq(bytes, b)), i8x16.eq(bytes, c)));
    if (found) return at + ctz(found);
    at += 16;
  }
  return at;
}

/**
 * Scans plain instances `#id=…;` from an offset: complete in the window, no comments, ids of at most nine digits. The first other statement
 * is left to the caller.
 * @param length bytes in the window
 * @param base the window's file offset, added to reported offsets
 * @returns number of instances
 */
export function run(from: i32, length: i32, base: i32, names: i32): i32 {
  const shift = base - <i32>WINDOW;
  const end = WINDOW + <usize>length;
  const semicolon = i8x16.splat(59);
  const apostrophe = i8x16.splat(39);
  const slash = i8x16.splat(47);
  let at = WINDOW + <usize>from;
  let count: i32 = 0;
  let marked: i32 = 0;
  let most: i32 = 0;
  let start = at;
  while (count < ROOM) {
    while (at < end && isBlank(load<u8>(at))) at++;
    start = at;
    if (at >= end || load<u8>(at) != 35) break;
    at++;
    let id: i32 = 0;
    const digits = at;
    for (let c: u32 = load<u8>(at) - 48; at < end && c < 10; c = load<u8>(++at) - 48) id = id * 10 + c;
    if (at - digits > 9) break;
    while (at < end && isBlank(load<u8>(at))) at++;
    if (at >= end || load<u8>(at) != 61) break;
    at++;
    while (at < end && isBlank(load<u8>(at))) at++;
    if (at >= end || load<u8>(at) == 47) break;
    const right = at;
    let name: i32 = -1;
    const first: u32 = load<u8>(at);
    if (first == 40) name = names;
    else if (load<u8>(((first & 31) << 5) | ((<u32>load<u8>(at + 1)) & 31))) {
      let hash: u32 = 0;
      while (at < end) {
        let c: u32 = load<u8>(at);
        if (!isWord(c)) break;
        if (c - 97 < 26) c -= 32;
        hash = hash * 31 + c;
        at++;
      }
      for (let n: i32 = 0; n < names; n++)
        if (load<u32>(HASHES + ((<usize>n) << 2)) == hash) {
          name = n;
          break;
        }
    }
    let whole = false;
    let inText = false;
    for (;;) {
      at = inText ? nextOf(at, end, apostrophe, apostrophe, apostrophe) : nextOf(at, end, semicolon, apostrophe, slash);
      if (at >= end) break;
      const c: u32 = load<u8>(at);
      if (c == 39) inText = !inText;
      else if (!inText) {
        if (c == 59) {
          whole = true;
          break;
        }
        if (c == 47 && (at + 1 >= end || load<u8>(at + 1) == 42)) break;
      }
      at++;
    }
    if (!whole) break;
    at++;
    if (id > most) most = id;
    const cell = (<usize>count) << 2;
    store<i32>(IDS + cell, id);
    store<i32>(STARTS + cell, <i32>start + shift);
    store<i32>(RIGHTS + cell, <i32>right + shift);
    store<i32>(ENDS + cell, <i32>at + shift);
    if (name >= 0) {
      const mark = (<usize>marked) << 2;
      store<i32>(MARKED + mark, count);
      store<i32>(NAMED + mark, name);
      marked++;
    }
    count++;
    start = at;
  }
  store<i32>(REPORT, marked);
  store<i32>(REPORT + 4, most);
  store<i32>(REPORT + 8, <i32>start + shift);
  store<i32>(REPORT + 12, at + 1 >= end ? 1 : 0);
  return count;
}
