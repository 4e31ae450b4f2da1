/** Longest name of a file or folder in bytes that common file systems take, and longest path that Rule takes. */
const LONGEST_NAME = 255;
const LONGEST_PATH = 1000;

/** Names that belong to devices where files of Windows are kept, with or without an ending (common practice). */
const DEVICE = /^(con|prn|aux|nul|com[1-9\u00b9\u00b2\u00b3]|lpt[1-9\u00b9\u00b2\u00b3])(\..*)?$/i;

/** What two names have in common that some systems take for the same: case, and the form in which a letter and its accent are written. */
export const nameKey = (name: string): string => name.normalize('NFC').toLowerCase();

/** A path inside a library, or why it cannot be one. */
export type CheckedPath = { readonly ok: true; readonly path: string } | { readonly ok: false; readonly message: string };

const bad = (message: string): CheckedPath => ({ ok: false, message });

/**
 * Checks a path that comes from outside, such as an archive's or a browser's. It must stay inside the library:
 * no drive, no root, no `..`; names must be such that every system can hold them.
 */
export function checkPath(raw: string): CheckedPath {
  const path = raw.replaceAll('\\', '/');
  if (/^([A-Za-z]:|\/)/.test(path)) return bad('The path must be relative to the library.');
  const parts = path.split('/').filter((part) => part !== '' && part !== '.');
  if (parts.length === 0) return bad('The path names no file.');
  if (parts.includes('..')) return bad('The path leads out of the library.');
  if (/[\u0000-\u001f\u007f\u2028\u2029\ufffd]/u.test(path)) return bad('The name contains an invisible or invalid character.');
  if (/[<>:"|?*]/.test(path)) return bad('The name contains a character that some systems do not allow (one of < > : " | ? *).');
  const device = parts.find((part) => DEVICE.test(part));
  if (device !== undefined) return bad(`${device} is a reserved device name on some systems.`);
  if (parts.some((part) => /[. ]$/.test(part))) return bad('A name ends with a space or full stop, which some systems do not allow.');
  if (parts.some((part) => new TextEncoder().encode(part).length > LONGEST_NAME)) return bad(`A name is longer than ${LONGEST_NAME} bytes.`);
  const clean = parts.join('/');
  return clean.length > LONGEST_PATH ? bad(`The path is longer than ${LONGEST_PATH} characters.`) : { ok: true, path: clean };
}
