import { FileError, FileFormat } from './contract';
import { dxf } from './dxf';
import { opc } from './opc';
import { step } from './step';

export * from './contract';
export * from './edits';
export { shortKey } from './keys';
export * from './encoding';
export * from './paths';

/** Supported formats. */
export const FORMATS: readonly FileFormat[] = [step, dxf, opc];

/** The format by file extension; `undefined` if values are kept beside the file. */
export function formatOf(name: string): FileFormat | undefined {
  const lower = name.toLowerCase();
  return FORMATS.find((format) => format.endings.some((ending) => lower.endsWith(ending)));
}

/** Bytes needed by {@link sniffFormat}. */
export const SNIFFED = 64;

/** The format by content, for files with misleading names. */
export function sniffFormat(head: Uint8Array): FileFormat | undefined {
  const text = String.fromCharCode(...head.subarray(0, SNIFFED)).replace(/^\u00ef\u00bb\u00bf/, '');
  if (/^\s*ISO-10303-21\s*;/.test(text)) return step;
  if (/^\s*0\s+SECTION\s/.test(text)) return dxf;
  return undefined;
}

/**
 * The format by id.
 * @throws FileError for files with values kept beside
 */
export function formatById(id: string): FileFormat {
  const format = FORMATS.find((candidate) => candidate.id === id);
  if (!format) throw new FileError('unknown-format', 'Rule cannot write into a file of this kind.');
  return format;
}

/** File name without folder. */
export const fileName = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

/** File name without folder and extension: `parts/DR5-101.step` gives `DR5-101`. */
export function baseName(path: string): string {
  const name = fileName(path);
  const dot = name.lastIndexOf('.');
  return dot > 0 ? name.slice(0, dot) : name;
}
