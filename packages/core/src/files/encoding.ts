import { decodeAs } from './code-pages';

export { decodeAs, knowsCodePage } from './code-pages';

/** Decodes Windows-1252. */
export const decodeWestern = (bytes: Uint8Array): string => decodeAs(bytes, 'windows-1252');

const letters = String.fromCharCode;

/** Decodes Latin-1 in blocks of eight letters, faster than a decoder for short texts. */
export function bytewiseText(bytes: Uint8Array, start: number, end: number): string {
  let text = '';
  let i = start;
  for (; i + 8 <= end; i += 8)
    text += letters(bytes[i]!, bytes[i + 1]!, bytes[i + 2]!, bytes[i + 3]!, bytes[i + 4]!, bytes[i + 5]!, bytes[i + 6]!, bytes[i + 7]!);
  if (i + 4 <= end) {
    text += letters(bytes[i]!, bytes[i + 1]!, bytes[i + 2]!, bytes[i + 3]!);
    i += 4;
  }
  if (i + 2 <= end) {
    text += letters(bytes[i]!, bytes[i + 1]!);
    i += 2;
  }
  return i < end ? text + letters(bytes[i]!) : text;
}

/** Maximum length for bytewise decoding. */
const SHORT = 64;

/** Fast path for short printable ASCII without backslashes and apostrophes; `undefined` otherwise. */
export function plainAscii(bytes: Uint8Array, start: number, end: number): string | undefined {
  if (end - start > SHORT) return undefined;
  for (let i = start; i < end; i++) {
    const byte = bytes[i]!;
    if (byte < 32 || byte > 126 || byte === 39 || byte === 92) return undefined;
  }
  return bytewiseText(bytes, start, end);
}
