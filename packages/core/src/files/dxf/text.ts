import { FileError } from '../contract';
import { decodeAs, knowsCodePage } from '../encoding';

/** Text encoding of a DXF file. */
export interface DxfText {
  readonly decode: (bytes: Uint8Array) => string;
  /**
   * A text as it is written: letters that the file's encoding lacks as `\\U+XXXX`.
   * @throws FileError for line breaks
   */
  readonly encode: (text: string) => string;
  /** The bytes of written text. */
  readonly bytes: (written: string) => Uint8Array;
  /** Whether the code page is unknown. */
  readonly unknownPage: boolean;
}

const utf8 = new TextDecoder('utf-8');
const encoder = new TextEncoder();

/** Code pages of `\M+n`. */
const MULTIBYTE: Readonly<Record<string, string>> = { 1: 'cp932', 2: 'cp950', 3: 'cp949', 5: 'cp936' };

/** Decodes `\U+XXXX` (Unicode) and `\M+nXXXX` (code page n, two bytes). */
const escapes = (text: string) =>
  text.includes('\\')
    ? text
        .replace(/\\U\+([0-9A-Fa-f]{4})/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)))
        .replace(/\\M\+([1-5])([0-9A-Fa-f]{4})/g, (all, page: string, hex: string) =>
          MULTIBYTE[page] ? decodeAs(Uint8Array.of(parseInt(hex.slice(0, 2), 16), parseInt(hex.slice(2), 16)), MULTIBYTE[page]) : all,
        )
    : text;

const oneLine = (text: string) => {
  if (/[\r\n]/.test(text)) throw new FileError('line-break', 'A DXF value cannot hold a line break.');
  return text;
};

/** Decoder name of a `$DWGCODEPAGE`: `ANSI_1250`, `DOS850`, `ISO8859-2` … */
function pageName(codePage: string): string {
  const page = codePage.trim().toLowerCase();
  if (page === '' || page === 'ascii') return 'windows-1252';
  const ansi = /^ansi_?(\d+)$/.exec(page)?.[1];
  if (ansi) return Number(ansi) >= 1250 && Number(ansi) <= 1258 ? `windows-${ansi}` : `cp${ansi}`;
  const dos = /^dos_?(\d+)$/.exec(page)?.[1];
  return dos ? `cp${dos}` : page;
}

const pages = new Map<string, ReadonlyMap<string, number>>();

/** The byte of every letter above ASCII in a code page of single bytes. */
function bytesOfPage(page: string): ReadonlyMap<string, number> {
  const known = pages.get(page);
  if (known) return known;
  const bytes = new Map<string, number>();
  for (let byte = 0x80; byte <= 0xff; byte++) {
    const letter = decodeAs(Uint8Array.of(byte), page);
    // Some bytes are no letters; control characters are not written.
    if (letter.length === 1 && letter !== '\ufffd' && letter.charCodeAt(0) > 0x9f) bytes.set(letter, byte);
  }
  pages.set(page, bytes);
  return bytes;
}

/** Pages in which every byte is a letter. */
const SINGLE_BYTES = /^(windows-125\d|iso8859-\d+|cp(437|850|852|855|857|860|861|863|864|865|869))$/;

/** UTF-8 from AC1021 on; before, the code page that the file states, with `\U+XXXX` for what it lacks. */
export function dxfText(version: string, codePage: string): DxfText {
  if (version >= 'AC1021')
    return { decode: (bytes) => escapes(utf8.decode(bytes)), encode: oneLine, bytes: (written) => encoder.encode(written), unknownPage: false };
  const page = pageName(codePage);
  const known = knowsCodePage(page);
  // A page that is not stated is a guess: reading may risk it, writing may not.
  const stated = known && codePage.trim() !== '' && SINGLE_BYTES.test(page);
  const coded = (c: string): string => {
    const byte = stated && c.charCodeAt(0) > 0x7f ? bytesOfPage(page).get(c) : undefined;
    if (byte !== undefined) return String.fromCharCode(byte);
    return c.charCodeAt(0) < 0x7f ? c : `\\U+${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`;
  };
  return {
    decode: (bytes) => escapes(decodeAs(bytes, known ? page : 'windows-1252')),
    encode: (text) => oneLine(text).split('').map(coded).join(''),
    // Every character of a written text is one byte.
    bytes: (written) => Uint8Array.from(written, (c) => c.charCodeAt(0)),
    unknownPage: !known,
  };
}

const CONTROL: Readonly<Record<string, string>> = { c: '⌀', d: '°', p: '±', '%': '%', u: '', o: '', k: '' };

/** Decodes control codes: `%%c`, `%%d`, `%%p`, `%%%`, and `%%065` by number; `%%u`, `%%o` and `%%k` are dropped. */
const showControlCodes = (text: string): string =>
  text.includes('%%')
    ? text.replace(/%%(\d{3}|[cdpuok%])/gi, (_, code: string) => (/^\d/.test(code) ? String.fromCharCode(Number(code)) : CONTROL[code.toLowerCase()]!))
    : text;

/** Caret codes of the DXF reference: control characters, and `^ ` for a caret. */
const CARETS: Readonly<Record<string, string>> = { '^ ': '^', '^I': '\t', '^J': '\n', '^M': '\r' };

/** A text as drawn, without control and caret codes. */
export const drawnText = (text: string): string => {
  const shown = showControlCodes(text);
  return shown.includes('^') ? shown.replace(/\^[ IJM]/g, (code) => CARETS[code]!) : shown;
};

/** Escapes a text so that it is drawn literally. */
export function codedText(text: string): string {
  const carets = text.replace(/[\^\t\n\r]/g, (c) => (c === '^' ? '^ ' : c === '\t' ? '^I' : c === '\n' ? '^J' : '^M'));
  // `%%%` draws one percent sign; others stand for themselves.
  return showControlCodes(carets) === carets ? carets : carets.replaceAll('%', '%%%');
}

/** Plain text of an MTEXT: no formatting, fractions inline, paragraphs as line breaks. */
export const plainMtext = (text: string): string =>
  text.replace(
    /\\(?:([\\{}])|(P|p(?![a-z][^;]*;))|S([^;]*);|p[^;]*;|[ACcFfHhQTW][^;]*;|[LlOoKk]|(~))|[{}]/g,
    (_, kept?: string, paragraph?: string, stack?: string, blank?: string) =>
      kept ?? (paragraph ? '\n' : stack !== undefined ? stack.replace(/[\^#]/, '/').trim() : blank ? '\u00a0' : ''),
  );

/** Whether an MTEXT has formatting beyond paragraphs and escapes. */
export const isFormatted = (text: string): boolean => /[\\{}]/.test(text.replace(/\\[P\\{}]/g, ''));

/** A plain text as MTEXT. */
export const toMtext = (text: string): string => text.replace(/[\\{}]/g, '\\$&').replace(/\r?\n/g, '\\P');
