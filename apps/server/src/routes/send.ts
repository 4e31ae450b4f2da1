import { FileHandle, rm } from 'node:fs/promises';
import { pipeline } from 'node:stream/promises';
import { Response } from 'express';

/** Media type of XLSX workbooks (ECMA-376, as registered with IANA). */
export const XLSX = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';

/** Escapes a file name for a header. */
export const disposition = (name: string): string => `attachment; filename="${name.replace(/[^\w .()-]/g, '_')}"; filename*=UTF-8''${encodeURIComponent(name)}`;

/** Media type of JSON texts in lines. */
const LINES = 'application/x-ndjson';

/** Whether an answer in lines has begun. */
export const answersInLines = (response: Response): boolean => response.headersSent && String(response.getHeader('content-type')).startsWith(LINES);

/** Sends a JSON text as a line of its own, at once. */
export function sendLine(response: Response, line: unknown): void {
  if (!response.headersSent) response.writeHead(200, { 'content-type': `${LINES}; charset=utf-8`, 'x-accel-buffering': 'no' });
  response.write(`${JSON.stringify(line)}\n`);
}

/** Media types by file extension of a table. */
const TYPES: Readonly<Record<string, string>> = { csv: 'text/csv', xlsx: XLSX, json: 'application/json', xml: 'application/xml' };

/** Sends a table file; temporary files are removed. */
export async function sendTable(response: Response, { path, name }: { readonly path: string; readonly name: string }, keep = false): Promise<void> {
  response.type(TYPES[name.slice(name.lastIndexOf('.') + 1)] ?? 'application/octet-stream');
  response.setHeader('content-disposition', disposition(name));
  await new Promise<void>((resolve, reject) => response.sendFile(path, { dotfiles: 'allow' }, (error) => (error ? reject(error) : resolve()))).finally(() =>
    keep ? undefined : rm(path, { force: true }),
  );
}

/** Streams an open file and closes it. */
export async function sendOpen(response: Response, file: FileHandle): Promise<void> {
  try {
    response.type('application/octet-stream').setHeader('cache-control', 'private, no-cache');
    response.setHeader('content-length', (await file.stat()).size);
    await pipeline(file.createReadStream({ autoClose: false }), response).catch((error: unknown) => {
      // The client disconnected.
      if (!response.destroyed) throw error;
    });
  } finally {
    await file.close();
  }
}
