/** What an XML attribute or text cannot hold as it is: control characters, a carriage return, surrogates by themselves, the two last code points of the plane. */
const UNHOLDABLE = /[\u0000-\u0008\u000b-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]|_(?=x[0-9A-Fa-f]{4}_)/g;

/**
 * A text as workbooks hold it (ECMA-376 part 1, 22.9.2.19, ST_Xstring): what XML cannot hold becomes `_xHHHH_`, and a text that looks
 * like that has its underscore escaped. The exact inverse of {@link unescapeX}.
 */
export const escapeX = (text: string): string => text.replace(UNHOLDABLE, (c) => `_x${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`);

/** `_x000D_` and the like stand for characters that XML cannot hold. */
export const unescapeX = (text: string): string =>
  text.includes('_x') ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))) : text;

/** A text between tags or in an attribute between double quotes. */
export const escapeMarkup = (text: string): string =>
  /[&<>"]/.test(text) ? text.replace(/[&<>"]/g, (c) => (c === '&' ? '&amp;' : c === '<' ? '&lt;' : c === '>' ? '&gt;' : '&quot;')) : text;
