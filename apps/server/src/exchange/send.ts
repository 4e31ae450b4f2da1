import { rm } from 'node:fs/promises';
import { Response } from 'express';

/** Media type of XLSX workbooks (ECMA-376, as registered with IANA). */
export const XLSX = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';

/** A file name that may go into a header. */
export const disposition = (name: string): string => `attachment; filename="${name.replace(/[^\w .()-]/g, '_')}"; filename*=UTF-8''${encodeURIComponent(name)}`;

/** Answers with a table that stands in a temporary file, and removes the file. */
export async function sendTable(response: Response, { path, name }: { readonly path: string; readonly name: string }): Promise<void> {
  response.type(name.endsWith('.csv') ? 'text/csv; charset=utf-8' : XLSX);
  response.setHeader('content-disposition', disposition(name));
  await new Promise<void>((resolve, reject) => response.sendFile(path, (error) => (error ? reject(error) : resolve()))).finally(() =>
    rm(path, { force: true }),
  );
}
