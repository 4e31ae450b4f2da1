import { FileError, FileFormat } from './contract';
import { dxf } from './dxf';
import { opc } from './opc';
import { step } from './step';

export * from './contract';
export * from './edits';
export { shortKey } from './keys';
export * from './encoding';
export * from './paths';

/** The formats that Rule reads and writes. */
export const FORMATS: readonly FileFormat[] = [step, dxf, opc];

/** The format that a file name's ending stands for; `undefined` for files whose values are kept beside them. */
export function formatOf(name: string): FileFormat | undefined {
  const lower = name.toLowerCase();
  return FORMATS.find((format) => format.endings.some((ending) => lower.endsWith(ending)));
}

/** How many bytes {@link sniffFormat} wants to see. */
export const SNIFFED = 64;

/** The format by a file's first bytes, for files whose name says nothing. */
export function sniffFormat(head: Uint8Array): FileFormat | undefined {
  const text = String.fromCharCode(...head.subarray(0, SNIFFED)).replace(/^\u00ef\u00bb\u00bf/, '');
  if (/^\s*ISO-10303-21\s*;/.test(text)) return step;
  if (/^\s*0\s+SECTION\s/.test(text)) return dxf;
  return undefined;
}

/** The format with an id. @throws FileError for files whose values are kept beside them. */
export function formatById(id: string): FileFormat {
  const format = FORMATS.find((candidate) => candidate.id === id);
  if (!format) throw new FileError('unknown-format', 'Rule cannot write into a file of this kind.');
  return format;
}

/** The file name without its folder. */
export const fileName = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

/** The file name without folder and ending: `parts/DR5-101.step` gives `DR5-101`. */
export function baseName(path: string): string {
  const name = fileName(path);
  const dot = name.lastIndexOf('.');
  return dot > 0 ? name.slice(0, dot) : name;
}
