/** The range 0x80 to 0x9F of Windows code page 1252, which Node's own decoder reads as control characters. */
const UPPER =
  '\u20ac\u0081\u201a\u0192\u201e\u2026\u2020\u2021\u02c6\u2030\u0160\u2039\u0152\u008d\u017d\u008f\u0090\u2018\u2019\u201c\u201d\u2022\u2013\u2014\u02dc\u2122\u0161\u203a\u0153\u009d\u017e\u0178';

/** Decodes Windows code page 1252, of which Latin-1 is a part. */
export function decodeWestern(bytes: Uint8Array): string {
  const parts: string[] = [];
  for (let from = 0; from < bytes.length; from += 8192)
    parts.push(String.fromCharCode(...bytes.subarray(from, from + 8192)).replace(/[\u0080-\u009f]/g, (c) => UPPER[c.charCodeAt(0) - 0x80]!));
  return parts.join('');
}
