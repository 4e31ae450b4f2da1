import { FileError } from '../contract';
import { decodeWestern } from '../encoding';

/** How the texts of a DXF file are encoded. */
export interface DxfText {
  readonly decode: (bytes: Uint8Array) => string;
  /** @throws FileError for a line break, which no group can hold. */
  readonly encode: (text: string) => string;
}

const utf8 = new TextDecoder('utf-8');

const escapes = (text: string) => text.replace(/\\U\+([0-9A-Fa-f]{4})/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)));

const oneLine = (text: string) => {
  if (/[\r\n]/.test(text)) throw new FileError('line-break', 'A DXF value cannot hold a line break.');
  return text;
};

/** Text is UTF-8 from AC1021 on, whatever the code page says; before, the code page with `\U+XXXX` for the rest. */
export function dxfText(version: string, codePage: string): DxfText {
  if (version >= 'AC1021') return { decode: (bytes) => escapes(utf8.decode(bytes)), encode: oneLine };
  const western = codePage === '' || codePage.endsWith('1252');
  return {
    decode: (bytes) => escapes(western ? decodeWestern(bytes) : String.fromCharCode(...bytes)),
    encode: (text) =>
      oneLine(text)
        .split('')
        .map((c) => (c.charCodeAt(0) < 0x7f ? c : `\\U+${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`))
        .join(''),
  };
}

const CONTROL: Readonly<Record<string, string>> = { c: '⌀', d: '°', p: '±' };

/** The control codes of drawing texts (`%%c`, `%%d`, `%%p`) as the characters they draw. */
export const showControlCodes = (text: string): string => text.replace(/%%([cdp])/gi, (_, code: string) => CONTROL[code.toLowerCase()]!);

/** The plain text of an MTEXT: formatting codes removed, paragraphs as line breaks. */
export const plainMtext = (text: string): string =>
  text
    .replace(/\\[Pp]/g, '\n')
    .replace(/\\[ACcFfHhQTWp][^;]*;/g, '')
    .replace(/\\[LlOoKk]/g, '')
    .replace(/\\~/g, '\u00a0')
    .replace(/[{}]/g, '');
