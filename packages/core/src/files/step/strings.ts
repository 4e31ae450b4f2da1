/**
 * ISO 10303-21 strings: `''` for an apostrophe, `\X\hh`, `\X2\…\X0\` (UTF-16), `\X4\…\X0\` (UTF-32), `\S\c` (upper half of the current ISO
 * 8859 part, Latin-1 unless `\P.\` selects another), and raw bytes left by careless writers.
 */
import { bytewiseText, decodeAs, plainAscii } from '../encoding';

const strict = new TextDecoder('utf-8', { fatal: true });
const latin1 = (bytes: Uint8Array): string => bytewiseText(bytes, 0, bytes.length);

/** Decodes raw bytes per string: UTF-8 if valid, otherwise Latin-1, whatever the header claims. */
function decodeRaw(bytes: Uint8Array): string {
  for (const byte of bytes)
    if (byte > 0x7f) {
      try {
        return strict.decode(bytes);
      } catch {
        return latin1(bytes);
      }
    }
  return latin1(bytes);
}

const ESCAPE = /\\(?:X\\([0-9A-Fa-f]{2})|X2\\((?:[0-9A-Fa-f]{4})*)\\X0\\|X4\\((?:[0-9A-Fa-f]{8})*)\\X0\\|S\\(.)|P([A-I])\\|N\\|F\\|\\)/gs;

/** Decodes the bytes between apostrophes. Unknown escapes are kept. */
export function decodeString(bytes: Uint8Array, start = 0, end = bytes.length): string {
  return plainAscii(bytes, start, end) ?? decodeEscaped(bytes.subarray(start, end));
}

function decodeEscaped(bytes: Uint8Array): string {
  const raw = decodeRaw(bytes)
    .replace(/[\r\n]/g, '')
    .replace(/''/g, "'");
  if (!raw.includes('\\')) return raw;
  let part = 1;
  return raw.replace(ESCAPE, (all: string, x?: string, x2?: string, x4?: string, s?: string, page?: string) => {
    if (x !== undefined) return String.fromCharCode(parseInt(x, 16));
    if (x2 !== undefined) return x2.replace(/.{4}/g, (hex) => String.fromCharCode(parseInt(hex, 16)));
    if (x4 !== undefined)
      return x4.replace(/.{8}/g, (hex) => {
        const point = parseInt(hex, 16);
        return point <= 0x10ffff ? String.fromCodePoint(point) : '\ufffd';
      });
    if (s !== undefined) return decodeAs(Uint8Array.of(s.charCodeAt(0) + 128), `iso-8859-${part}`);
    // `\P.\` selects the ISO 8859 part by letter; A is part 1.
    if (page !== undefined) part = page.charCodeAt(0) - 64;
    return all === '\\\\' ? '\\' : '';
  });
}

/**
 * Maximum bytes of a string including apostrophes. ISO 10303-21 sets none, but common readers have 16 KiB buffers and reject the file
 * (found by experiment with two readers).
 */
export const LONGEST_STRING = 16_000;

/** ASCII letters cheaper to escape than ending and restarting a run: three extra bytes each, against eight. */
const BRIDGE = 2;

/** Encodes a string in printable ASCII, which every reader understands. */
export function encodeString(text: string): string {
  let out = '';
  let wide: string[] = [];
  const hex = (point: number) => point.toString(16).toUpperCase().padStart(4, '0');
  const close = () => {
    if (wide.length) out += `\\X2\\${wide.join('')}\\X0\\`;
    wide = [];
  };
  const chars = [...text];
  /** Whether an escaped run continues after a few plain letters. */
  const bridges = (at: number): boolean => {
    for (let k = at; k < chars.length && k <= at + BRIDGE; k++) {
      const point = chars[k]!.codePointAt(0)!;
      if (point > 0x7f && point <= 0xffff) return true;
      if (point < 0x20 || point >= 0x7f) return false;
    }
    return false;
  };
  for (const [at, char] of chars.entries()) {
    const point = char.codePointAt(0)!;
    if (point >= 0x20 && point < 0x7f) {
      if (wide.length && bridges(at)) {
        wide.push(hex(point));
        continue;
      }
      close();
      out += char === "'" ? "''" : char === '\\' ? '\\\\' : char;
    } else if (point < 0x20 || point === 0x7f) {
      close();
      out += `\\X\\${point.toString(16).toUpperCase().padStart(2, '0')}`;
    } else if (point > 0xffff) {
      close();
      out += `\\X4\\${point.toString(16).toUpperCase().padStart(8, '0')}\\X0\\`;
    } else wide.push(hex(point));
  }
  close();
  return `'${out}'`;
}
