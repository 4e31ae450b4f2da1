import { FileHandle, rm } from 'node:fs/promises';
import { pipeline } from 'node:stream/promises';
import { Response } from 'express';

/** Media type of XLSX workbooks (ECMA-376, as registered with IANA). */
export const XLSX = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';

/** A file name that may go into a header. */
export const disposition = (name: string): string => `attachment; filename="${name.replace(/[^\w .()-]/g, '_')}"; filename*=UTF-8''${encodeURIComponent(name)}`;

/** Media types by the ending of a table's name. */
const TYPES: Readonly<Record<string, string>> = { csv: 'text/csv', xlsx: XLSX, json: 'application/json', xml: 'application/xml' };

/** Answers with a table that is in a file; one that is for this answer alone is removed. */
export async function sendTable(response: Response, { path, name }: { readonly path: string; readonly name: string }, keep = false): Promise<void> {
  response.type(TYPES[name.slice(name.lastIndexOf('.') + 1)] ?? 'application/octet-stream');
  response.setHeader('content-disposition', disposition(name));
  await new Promise<void>((resolve, reject) => response.sendFile(path, { dotfiles: 'allow' }, (error) => (error ? reject(error) : resolve()))).finally(() =>
    keep ? undefined : rm(path, { force: true }),
  );
}

/** Answers with an open file, piece by piece, and closes it. */
export async function sendOpen(response: Response, file: FileHandle): Promise<void> {
  try {
    response.type('application/octet-stream').setHeader('cache-control', 'private, no-cache');
    response.setHeader('content-length', (await file.stat()).size);
    await pipeline(file.createReadStream({ autoClose: false }), response).catch((error: unknown) => {
      // Who asked has gone away: there is nobody left to tell.
      if (!response.destroyed) throw error;
    });
  } finally {
    await file.close();
  }
}
