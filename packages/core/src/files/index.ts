import { FileError, FileFormat } from './contract';
import { dxf } from './dxf';
import { step } from './step';

export * from './contract';
export * from './edits';
export * from './encoding';

/** The formats that Rule reads and writes. */
export const FORMATS: readonly FileFormat[] = [step, dxf];

/** The format that a file name's ending stands for; `undefined` for files that Rule does not read. */
export function formatOf(fileName: string): FileFormat | undefined {
  const lower = fileName.toLowerCase();
  return FORMATS.find((format) => format.endings.some((ending) => lower.endsWith(ending)));
}

/** Like {@link formatOf}. @throws FileError when there is none. */
export function requireFormat(fileName: string): FileFormat {
  const format = formatOf(fileName);
  if (!format) throw new FileError('unknown-format', `${fileName} is neither STEP nor DXF`);
  return format;
}

/** The file name without folder and ending: `parts/DR5-101.step` gives `DR5-101`. */
export function baseName(path: string): string {
  const name = path.slice(path.lastIndexOf('/') + 1);
  const dot = name.lastIndexOf('.');
  return dot > 0 ? name.slice(0, dot) : name;
}
