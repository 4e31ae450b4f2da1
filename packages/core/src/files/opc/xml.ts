import { SaxesParser } from 'saxes';
import { FileError } from '../contract';

/** An element with the offsets needed for splicing, in characters. */
export interface XmlElement {
  /** Local name. */
  readonly local: string;
  readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: XmlElement[];
  /** All text content, entities resolved. */
  text: string;
  readonly start: number;
  /** After the opening tag; equals `end` for self-closing tags. */
  readonly inner: number;
  innerEnd: number;
  end: number;
}

/** An XML part with its root element. */
export interface XmlPart {
  readonly text: string;
  readonly root: XmlElement;
}

/** Maximum nesting, more than property parts need. */
const DEEPEST = 32;

/**
 * Reads an XML part with offsets.
 * @throws FileError if not well formed
 */
export function readXml(bytes: Uint8Array, part: string): XmlPart {
  const utf16 = (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff);
  const text = new TextDecoder(utf16 ? (bytes[0] === 0xff ? 'utf-16le' : 'utf-16be') : 'utf-8', { ignoreBOM: true }).decode(bytes);
  const parser = new SaxesParser({ position: true });
  const open: XmlElement[] = [];
  let root: XmlElement | undefined;
  const fail = (): never => {
    throw new FileError('xml-broken', `The part ${part} is not well formed.`);
  };
  parser.on('error', fail);
  parser.on('opentag', ({ name, attributes }) => {
    if (open.length > DEEPEST) fail();
    const inner = parser.position;
    const element: XmlElement = {
      local: name.slice(name.indexOf(':') + 1),
      name,
      attributes: attributes as Record<string, string>,
      children: [],
      text: '',
      start: text.lastIndexOf('<', inner - 1),
      inner,
      innerEnd: inner,
      end: inner,
    };
    open.at(-1)?.children.push(element);
    root ??= element;
    open.push(element);
  });
  const add = (piece: string) => {
    for (const element of open) element.text += piece;
  };
  parser.on('text', add);
  parser.on('cdata', add);
  parser.on('closetag', ({ isSelfClosing }) => {
    const element = open.pop()!;
    element.end = parser.position;
    element.innerEnd = isSelfClosing ? element.end : text.lastIndexOf('<', element.end - 1);
  });
  parser.write(text).close();
  return { text, root: root ?? fail() };
}

/** Escapes text for XML content or attributes. Characters XML 1.0 cannot hold are refused. */
export function escapeXml(text: string): string {
  if (/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/.test(text))
    throw new FileError('xml-character', 'The value contains a control character, which documents cannot store.');
  return text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;').replace(/\r/g, '&#13;');
}

/** A splice of a part's text. */
export interface TextEdit {
  readonly at: number;
  readonly length: number;
  readonly insert: string;
}

/** Applies splices; those at the same offset keep their order. */
export function spliceText(text: string, edits: readonly TextEdit[]): string {
  let out = text;
  for (const { at, length, insert } of edits.map((edit, i) => ({ ...edit, i })).sort((a, b) => b.at - a.at || b.i - a.i))
    out = out.slice(0, at) + insert + out.slice(at + length);
  return out;
}
