import { FileError } from '../contract';
import { decodeAs, knowsCodePage } from '../encoding';

/** How the texts of a DXF file are encoded. */
export interface DxfText {
  readonly decode: (bytes: Uint8Array) => string;
  /** @throws FileError for a line break, which no group can hold. */
  readonly encode: (text: string) => string;
  /** Whether the file names a code page that Rule does not know. */
  readonly unknownPage: boolean;
}

const utf8 = new TextDecoder('utf-8');

/** Code pages that `\M+n` names by a digit. */
const MULTIBYTE: Readonly<Record<string, string>> = { 1: 'cp932', 2: 'cp950', 3: 'cp949', 5: 'cp936' };

/** Characters written as `\U+XXXX` (Unicode) or `\M+nXXXX` (code page n, two bytes). */
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

/** The name under which a decoder knows what `$DWGCODEPAGE` says: `ANSI_1250`, `DOS850`, `ISO8859-2` … */
function pageName(codePage: string): string {
  const page = codePage.trim().toLowerCase();
  if (page === '' || page === 'ascii') return 'windows-1252';
  const ansi = /^ansi_?(\d+)$/.exec(page)?.[1];
  if (ansi) return Number(ansi) >= 1250 && Number(ansi) <= 1258 ? `windows-${ansi}` : `cp${ansi}`;
  const dos = /^dos_?(\d+)$/.exec(page)?.[1];
  return dos ? `cp${dos}` : page;
}

/** Text is UTF-8 from AC1021 on, whatever the code page says; before, the code page with `\U+XXXX` for the rest. */
export function dxfText(version: string, codePage: string): DxfText {
  if (version >= 'AC1021') return { decode: (bytes) => escapes(utf8.decode(bytes)), encode: oneLine, unknownPage: false };
  const page = pageName(codePage);
  const known = knowsCodePage(page);
  return {
    decode: (bytes) => escapes(decodeAs(bytes, known ? page : 'windows-1252')),
    encode: (text) =>
      oneLine(text)
        .split('')
        .map((c) => (c.charCodeAt(0) < 0x7f ? c : `\\U+${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`))
        .join(''),
    unknownPage: !known,
  };
}

const CONTROL: Readonly<Record<string, string>> = { c: '⌀', d: '°', p: '±', '%': '%', u: '', o: '', k: '' };

/**
 * The control codes of drawing texts as the characters they draw: `%%c`, `%%d`, `%%p`, `%%%`, a character
 * by its decimal number (`%%065`); underline, overline and strike-through (`%%u`, `%%o`, `%%k`) draw none.
 */
const showControlCodes = (text: string): string =>
  text.includes('%%')
    ? text.replace(/%%(\d{3}|[cdpuok%])/gi, (_, code: string) => (/^\d/.test(code) ? String.fromCharCode(Number(code)) : CONTROL[code.toLowerCase()]!))
    : text;

/** What a caret and the character behind it stand for in a drawing's text: the DXF reference gives control characters so, and a caret as `^` and a blank. */
const CARETS: Readonly<Record<string, string>> = { '^ ': '^', '^I': '\t', '^J': '\n', '^M': '\r' };

/** A text of a drawing as it is drawn: without control codes and carets. */
export const drawnText = (text: string): string => {
  const shown = showControlCodes(text);
  return shown.includes('^') ? shown.replace(/\^[ IJM]/g, (code) => CARETS[code]!) : shown;
};

/** A text as a drawing's text that is drawn like it: what would be taken for a code is escaped. */
export function codedText(text: string): string {
  const carets = text.replace(/[\^\t\n\r]/g, (c) => (c === '^' ? '^ ' : c === '\t' ? '^I' : c === '\n' ? '^J' : '^M'));
  // `%%%` draws one percent sign; where no code begins, percent signs stand for themselves.
  return showControlCodes(carets) === carets ? carets : carets.replaceAll('%', '%%%');
}

/** The plain text of an MTEXT: formatting codes removed, stacked fractions on one line, paragraphs as line breaks. */
export const plainMtext = (text: string): string =>
  text.replace(
    /\\(?:([\\{}])|(P|p(?![a-z][^;]*;))|S([^;]*);|p[^;]*;|[ACcFfHhQTW][^;]*;|[LlOoKk]|(~))|[{}]/g,
    (_, kept?: string, paragraph?: string, stack?: string, blank?: string) =>
      kept ?? (paragraph ? '\n' : stack !== undefined ? stack.replace(/[\^#]/, '/').trim() : blank ? '\u00a0' : ''),
  );

/** Whether an MTEXT has codes inside it other than those of new paragraphs and of the signs themselves. */
export const isFormatted = (text: string): boolean => /[\\{}]/.test(text.replace(/\\[P\\{}]/g, ''));

/** A plain text as the content of an MTEXT. */
export const toMtext = (text: string): string => text.replace(/[\\{}]/g, '\\$&').replace(/\r?\n/g, '\\P');
