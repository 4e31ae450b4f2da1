import { invalid } from './problem';

/**
 * A percent-encoded header text.
 * @throws AppError if invalid
 */
export function headerText(text: string | undefined): string {
  try {
    return decodeURIComponent(text ?? '');
  } catch {
    throw invalid('bad-name', 'The header x-file-name is not percent-encoded UTF-8.');
  }
}

/** A file name without folders, from a header. */
export function headerName(text: string | undefined): string {
  const name = (headerText(text).split(/[\\/]/).at(-1) || 'table').slice(0, 200);
  if (name.includes('\0')) throw invalid('bad-name', 'The header x-file-name contains the character U+0000.');
  return name;
}
