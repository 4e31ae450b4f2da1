import { readFile, writeFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { SchemaChange, cellName, linkName } from '@rule/core/schema';
import { Outcome } from './commands';
import { Row } from './output';
import { RuleServer } from './server';
import { Trouble } from './trouble';

const CHANGE_COLUMNS = ['subject', 'change', 'before', 'after'];
const TRY_COLUMNS = ['effect', 'subject', 'files'];
/** How often a running job is polled. */
const ASK_EVERY_MS = 500;

const text = (value: unknown): string => (value === null || value === undefined ? '' : typeof value === 'string' ? value : JSON.stringify(value));

const subjectOf = (change: Extract<SchemaChange, { readonly fields: unknown }>): string => {
  switch (change.type) {
    case 'property changed':
      return change.caption;
    case 'check changed':
      return change.title;
    case 'form changed':
      return `form ${change.name}`;
    case 'binding changed':
      return `cell ${change.cell}`;
    case 'link changed':
      return `record field ${change.field}`;
  }
};

/** Differences between two schemas, one row per field. */
export const changeRows = (changes: readonly SchemaChange[]): Row[] =>
  changes.flatMap((change): Row[] => {
    switch (change.type) {
      case 'property added':
      case 'property removed':
        return [{ subject: change.property.writtenName, change: change.type, before: '', after: '' }];
      case 'check added':
      case 'check removed':
        return [{ subject: change.check.title, change: change.type, before: '', after: '' }];
      case 'form added':
      case 'form removed':
        return [{ subject: `form ${change.form.name}`, change: change.type, before: '', after: '' }];
      case 'binding added':
      case 'binding removed':
        return [{ subject: `cell ${cellName(change.binding)}`, change: change.type, before: '', after: '' }];
      case 'link added':
      case 'link removed':
        return [{ subject: `record field ${linkName(change.link)}`, change: change.type, before: '', after: '' }];
      case 'property changed':
      case 'check changed':
      case 'form changed':
      case 'binding changed':
      case 'link changed':
        return change.fields.map(({ field, before, after }) => ({
          subject: subjectOf(change),
          change: field,
          before: text(before),
          after: text(after),
        }));
      case 'strangers changed':
        return [{ subject: 'names outside the schema', change: 'changed', before: text(change.before), after: text(change.after) }];
      case 'order changed':
        return [{ subject: change.of, change: 'order', before: '', after: '' }];
    }
  });

/** Exports the draft, or the edition in force if there is no draft, as JSON suitable for version control. */
export async function exportSchema(server: RuleServer, file: string | null, edition: number | null): Promise<{ readonly json: string; readonly said: string }> {
  const document = await server.document(edition);
  const json = `${JSON.stringify(document, null, 2)}\n`;
  if (file !== null) await writeFile(file, json);
  return { json, said: `${text(document['title'])}${file === null ? '' : `, written to ${file}`}` };
}

/**
 * Imports a JSON document into the draft and prints the differences from the edition in force. Differences raise a warning, faults an
 * error.
 */
export async function importSchema(server: RuleServer, file: string): Promise<Outcome> {
  const bytes = await readFile(file).catch(() => {
    throw new Trouble(`${file} cannot be read.`);
  });
  const { changes, problems } = await server.importDocument(basename(file), bytes);
  const faults = problems.filter((problem) => problem.severity === 'error');
  return {
    columns: CHANGE_COLUMNS,
    rows: changeRows(changes),
    worst: faults.length ? 'error' : changes.length ? 'warning' : null,
    said: [`${changes.length} changes against the edition in force`, ...faults.map((fault) => fault.message)].join('\n'),
  };
}

/** Tries the draft on all files of the server. Violations are errors; changed or homeless values are warnings. */
export async function trySchema(server: RuleServer): Promise<Outcome> {
  const { job } = await server.startTry();
  for (;;) {
    const { state, message } = await server.job(job);
    if (state === 'done') break;
    if (state !== 'waiting' && state !== 'running') throw new Trouble(message ?? `The try was ${state}.`);
    await pause(ASK_EVERY_MS);
  }
  const [{ summary }, { schema }] = await Promise.all([server.trySummary(), server.draft()]);
  const effects = summary?.effects ?? [];
  const subject = (property: number | null, check: number | null) =>
    schema.properties.find((entry) => entry.id === property)?.writtenName ?? schema.checks.find((entry) => entry.id === check)?.title ?? '';
  const has = (effect: string) => effects.some((row) => row.effect === effect);
  return {
    columns: TRY_COLUMNS,
    rows: effects.map(({ effect, property, check, files }) => ({ effect, subject: subject(property, check), files })),
    worst: has('breaks') ? 'error' : has('loses') || has('changes') ? 'warning' : null,
    said: `tried on ${summary?.files ?? 0} files`,
  };
}
