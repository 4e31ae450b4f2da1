/** Longest name in bytes on common file systems, and longest path in Rule. */
const LONGEST_NAME = 255;
const LONGEST_PATH = 1000;

/** Device names reserved by Windows, with or without extension (common practice). */
const DEVICE = /^(con|prn|aux|nul|com[1-9\u00b9\u00b2\u00b3]|lpt[1-9\u00b9\u00b2\u00b3])(\..*)?$/i;

/** A key equal for names that some systems treat as the same: case and Unicode normalisation removed. */
export const nameKey = (name: string): string => name.normalize('NFC').toLowerCase();

/** A path inside a library, or why it is refused. */
export type CheckedPath = { readonly ok: true; readonly path: string } | { readonly ok: false; readonly message: string };

const bad = (message: string): CheckedPath => ({ ok: false, message });

/** Checks an external path, such as from an archive or a browser: no drive, root or `..`, and only names every common system accepts. */
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
