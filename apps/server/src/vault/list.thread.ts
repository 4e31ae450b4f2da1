import { AppError } from '../platform/problem';
import { PlainTable, readTable } from '../platform/table';

/** A parsed list, or why it cannot be read. */
export type ReadList =
  { readonly ok: true; readonly table: PlainTable } | { readonly ok: false; readonly status: number; readonly code: string; readonly message: string };

declare module '../platform/pool' {
  interface Tasks {
    readonly readList: (input: { readonly name: string; readonly bytes: Uint8Array }) => Promise<ReadList>;
  }
}

/** Reads a list from a workbook or CSV file. */
export function readList({ name, bytes }: { readonly name: string; readonly bytes: Uint8Array }): Promise<ReadList> {
  try {
    return Promise.resolve({ ok: true, table: readTable(name, bytes, null) });
  } catch (error) {
    if (!(error instanceof AppError)) throw error;
    return Promise.resolve({ ok: false, status: error.status, code: error.code, message: error.message });
  }
}
