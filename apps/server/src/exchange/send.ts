import { rm } from 'node:fs/promises';
import { Response } from 'express';

/** A file name that may go into a header. */
export const disposition = (name: string): string => `attachment; filename="${name.replace(/[^\w .()-]/g, '_')}"; filename*=UTF-8''${encodeURIComponent(name)}`;

/** Answers with a table that stands in a temporary file, and removes the file. */
export async function sendTable(response: Response, { path, name }: { readonly path: string; readonly name: string }): Promise<void> {
  response.type(name.endsWith('.csv') ? 'text/csv; charset=utf-8' : 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet');
  response.setHeader('content-disposition', disposition(name));
  await new Promise<void>((resolve, reject) => response.sendFile(path, (error) => (error ? reject(error) : resolve()))).finally(() =>
    rm(path, { force: true }),
  );
}
