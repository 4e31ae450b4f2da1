/** Characters XML cannot hold literally: control characters, carriage return, lone surrogates, U+FFFE and U+FFFF. */
const UNHOLDABLE = /[\u0000-\u0008\u000b-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]|_(?=x[0-9A-Fa-f]{4}_)/g;

/**
 * Encodes text as ST_Xstring (ECMA-376 part 1, 22.9.2.19): characters XML cannot hold become `_xHHHH_`, and text of that form has its
 * underscore escaped. The inverse of {@link unescapeX}.
 */
export const escapeX = (text: string): string => text.replace(UNHOLDABLE, (c) => `_x${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`);

/** `_x000D_` and similar stand for characters XML cannot hold. */
export const unescapeX = (text: string): string =>
  text.includes('_x') ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))) : text;

/** Text for an element or a double-quoted attribute. */
export const escapeMarkup = (text: string): string =>
  /[&<>"]/.test(text) ? text.replace(/[&<>"]/g, (c) => (c === '&' ? '&amp;' : c === '<' ? '&lt;' : c === '>' ? '&gt;' : '&quot;')) : text;
