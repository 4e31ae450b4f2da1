import { decodeAs } from './code-pages';

export { decodeAs, knowsCodePage } from './code-pages';

/** Decodes Windows code page 1252, of which Latin-1 is a part. */
export const decodeWestern = (bytes: Uint8Array): string => decodeAs(bytes, 'windows-1252');

const letters = String.fromCharCode;

/**
 * One letter for every byte, as in Latin-1. For short texts quicker than any decoder: eight letters become a text at once,
 * as a text that grows letter by letter is copied, or put together later, at every step.
 */
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

/** Longest text that is read bytewise; longer ones are left to the decoder. */
const SHORT = 64;

/**
 * A short text of printable ASCII without backslashes and apostrophes, as nearly all texts in files are: quicker than any
 * decoder, and the same in every encoding. `undefined` for all others.
 */
export function plainAscii(bytes: Uint8Array, start: number, end: number): string | undefined {
  if (end - start > SHORT) return undefined;
  for (let i = start; i < end; i++) {
    const byte = bytes[i]!;
    if (byte < 32 || byte > 126 || byte === 39 || byte === 92) return undefined;
  }
  return bytewiseText(bytes, start, end);
}
