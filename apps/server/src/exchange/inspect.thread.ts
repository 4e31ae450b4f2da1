import { TableInspection } from '@rule/contract';
import { RowIdentity, TableError, TableShape, readIdentityMark, shapeOf } from '@rule/core/exchange';
import { KINDS, Kind, PropertyLevel } from '@rule/core/schema';
import { ValueCount } from '@rule/core/survey';
import { Db } from '../platform/db';
import { FileStore } from '../platform/store';
import { findRows } from './compare.thread';
import { Attempt, BATCH, MOST_AMBIGUOUS, SHOWN, TableInput, batchesOf, filesAt, isOurs, openTable, outcome, plainPath } from './opened-table';

declare module '../platform/pool' {
  interface Tasks {
    readonly inspectTable: (input: TableInput) => Promise<Attempt<TableInspection>>;
    readonly draftColumns: (input: TableInput & { readonly columns: readonly number[] }) => Promise<Attempt<DraftColumn[]>>;
  }
}

/** Reads enough of a table to identify it and list open questions. */
export async function inspectTable(input: TableInput, db: Db, store: FileStore): Promise<Attempt<TableInspection>> {
  return outcome(async () => {
    const made = await openTable(db, input, await store.get(input.hash));
    const { opened, matches, headerRow, sample } = made;
    let problem: string | null = null;
    let shape: TableShape | null = null;
    try {
      shape = shapeOf(matches, made.properties);
    } catch (error) {
      if (!(error instanceof TableError)) throw error;
      problem = error.message;
    }
    const names = new Map<string, number>();
    let rows = 0;
    for (const batch of batchesOf(made))
      for (const { cells } of batch) {
        if (cells.every((cell) => cell.text === '')) continue;
        rows++;
        if (!shape || readIdentityMark(cells[shape.identityAt]?.text ?? '')) continue;
        const path = plainPath(cells[shape.fileAt]?.text ?? '');
        if (path) names.set(path, (names.get(path) ?? 0) + 1);
      }
    const ambiguous: { name: string; rows: number; files: { id: number; path: string }[] }[] = [];
    const asked = [...names.keys()];
    for (let at = 0; at < asked.length; at += BATCH)
      for (const [name, files] of await filesAt(db, asked.slice(at, at + BATCH)))
        if (files.length > 1 && names.has(name))
          ambiguous.push({ name, rows: names.get(name)!, files: files.map(({ id, path }) => ({ id, path })).sort((a, b) => a.path.localeCompare(b.path)) });
    const ours = opened.sheets.filter(isOurs);
    const asks: TableInspection['asks'][number][] = [];
    // Sent values reveal whether the encoding is right.
    const guessed = opened.csv && opened.csv.encoding !== 'utf-8' && !opened.csv.encoding.startsWith('utf-16') && made.sent.length === 0;
    if ((guessed || opened.csv?.doubt) && input.choice.encoding === undefined) asks.push('encoding');
    if (opened.sheets.length > 1 && ours.length !== 1 && input.choice.sheet === undefined) asks.push('sheet');
    if (problem !== null || matches.some((match) => match.ask)) asks.push('columns');
    if (!input.choice.leaveAmbiguous && ambiguous.some((entry) => input.choice.files?.[entry.name] === undefined)) asks.push('rows');
    return {
      format: opened.format,
      encoding: opened.csv?.encoding ?? null,
      delimiter: opened.csv?.delimiter ?? null,
      decimal: made.decimal,
      sheets: opened.format === 'xlsx' ? opened.sheets.map((sheet) => ({ name: sheet.sheet ?? '', ours: ours.includes(sheet) })) : [],
      sheet: opened.source.sheet,
      headerRow: headerRow + 1,
      columns: matches,
      sample: sample.slice(0, SHOWN).map((row) => row.map((cell) => cell.text.slice(0, 200))),
      rows,
      ambiguous: ambiguous.slice(0, MOST_AMBIGUOUS),
      asks,
      problem,
      doubt: opened.csv?.doubt ?? null,
    };
  });
}

/** A column to define a property from, with the files and holders whose rows fill it. */
export interface DraftColumn {
  readonly header: string;
  readonly values: readonly ValueCount[];
  readonly kinds: readonly Kind[];
  /** The class shared by all files; empty if some have none. */
  readonly classes: readonly string[];
  readonly level: PropertyLevel;
}

/** Subjects of the rows that fill columns: a draft property reaches no more than its table. */
export async function draftColumns(input: TableInput & { readonly columns: readonly number[] }, db: Db, store: FileStore): Promise<Attempt<DraftColumn[]>> {
  return outcome(async () => {
    const made = await openTable(db, input, await store.get(input.hash));
    const shape = shapeOf(made.matches, made.properties);
    const found = input.columns.map((at) => ({
      at,
      counts: new Map<string, number>(),
      kinds: new Set<Kind>(),
      classes: new Set<string | null>(),
      levels: new Set<PropertyLevel>(),
    }));
    const sent = new Map(made.sent.map((entry) => [entry.id, entry]));
    for (const batch of batchesOf(made)) {
      const identities = batch.map(({ cells }): RowIdentity => ({
        mark: readIdentityMark(cells[shape.identityAt]?.text ?? ''),
        path: cells[shape.fileAt]?.text ?? '',
        holder: cells[shape.holderAt]?.text ?? '',
      }));
      const rows = await findRows(db, identities, { sent, byName: new Map(), asked: [], choice: input.choice });
      batch.forEach(({ cells }, i) => {
        const row = rows[i];
        if (!row || 'message' in row) return;
        for (const column of found) {
          const text = cells[column.at]?.text ?? '';
          if (text === '') continue;
          column.counts.set(text, (column.counts.get(text) ?? 0) + 1);
          column.kinds.add(row.file.kind);
          column.classes.add(row.file.className);
          column.levels.add(row.level);
        }
      });
    }
    const header = new Map(made.matches.map((match) => [match.at, match.header]));
    return found.map(({ at, counts, kinds, classes, levels }) => ({
      header: header.get(at) ?? '',
      values: [...counts].map(([text, files]) => ({ text, form: 'text' as const, unit: null, files, standIn: false })),
      kinds: KINDS.filter((kind) => kinds.has(kind)),
      classes: classes.has(null) ? [] : [...classes].filter((name): name is string => name !== null).sort(),
      level: levels.size === 1 ? [...levels][0]! : 'document',
    }));
  });
}
