import { FileError, FileFormat } from './contract';
import { dxf } from './dxf';
import { step } from './step';

export * from './contract';
export * from './edits';
export * from './encoding';

/** The formats that Rule reads and writes. */
export const FORMATS: readonly FileFormat[] = [step, dxf];

/** The format that a file name's ending stands for; `undefined` for files that Rule does not read. */
export function formatOf(name: string): FileFormat | undefined {
  const lower = name.toLowerCase();
  return FORMATS.find((format) => format.endings.some((ending) => lower.endsWith(ending)));
}

/** Like {@link formatOf}. @throws FileError when there is none. */
export function requireFormat(name: string): FileFormat {
  const format = formatOf(name);
  if (!format) throw new FileError('unknown-format', `${name} is neither STEP nor DXF`);
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
