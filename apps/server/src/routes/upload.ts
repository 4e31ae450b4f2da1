import { headerName } from '../platform/file-name';
import { invalid } from '../platform/problem';

/**
 * The file in a request body, named by x-file-name.
 * @throws AppError if missing
 */
export function uploadOf(request: { readonly body: unknown; get(name: string): string | undefined }): { name: string; bytes: Uint8Array } {
  const bytes: unknown = request.body;
  if (!(bytes instanceof Uint8Array) || bytes.length === 0) throw invalid('empty-file', 'No file was sent.');
  return { name: headerName(request.get('x-file-name')), bytes };
}
