import { SaxesParser } from 'saxes';
import { FileError } from '../contract';

/** One element with the positions that splicing needs, in characters of the part's text. */
export interface XmlElement {
  /** Name without its prefix. */
  readonly local: string;
  readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: XmlElement[];
  /** All text inside, entities resolved. */
  text: string;
  readonly start: number;
  /** Behind the opening tag; the same as `end` of a tag that closes itself. */
  readonly inner: number;
  innerEnd: number;
  end: number;
}

/** An XML part: its text and its root element. */
export interface XmlPart {
  readonly text: string;
  readonly root: XmlElement;
}

/** Deepest nesting that property parts need, and then some. */
const DEEPEST = 32;

/** Reads an XML part with positions. @throws FileError when it is not well formed. */
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

/** A text as XML content or attribute value. Characters that XML 1.0 cannot hold are refused. */
export function escapeXml(text: string): string {
  if (/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/.test(text))
    throw new FileError('xml-character', 'The value contains a control character, which documents cannot store.');
  return text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;').replace(/\r/g, '&#13;');
}

/** One splice of a part's text. */
export interface TextEdit {
  readonly at: number;
  readonly length: number;
  readonly insert: string;
}

/** Applies splices to a text; those at one place keep their order. */
export function spliceText(text: string, edits: readonly TextEdit[]): string {
  let out = text;
  for (const { at, length, insert } of edits.map((edit, i) => ({ ...edit, i })).sort((a, b) => b.at - a.at || b.i - a.i))
    out = out.slice(0, at) + insert + out.slice(at + length);
  return out;
}
