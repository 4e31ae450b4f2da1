import { readFile, stat } from 'node:fs/promises';
import { basename, dirname, resolve } from 'node:path';
import { CheckPage } from '@rule/contract';
import { readSchemaDocument, schemaOfDocument } from '@rule/contract/checks';
import { FileReading } from '@rule/core/files';
import { DEFAULT_STATES, PreparedSchema, Schema } from '@rule/core/schema';
import { CheckedFile, Finding, Severity, checkFile, gravest } from '@rule/core/survey';
import { DEFAULT_STAND_INS, HeldValue, StandIns, compileStandIns } from '@rule/core/values';
import { readFolder } from './folder';
import { Row } from './output';
import { RuleServer } from './server';
import { NameCount, SURVEY_COLUMNS, looksLike } from './survey';
import { Trouble } from './trouble';

/** The result of a command: rows, columns and the most severe finding. */
export interface Outcome {
  readonly columns: readonly string[];
  readonly rows: readonly Row[];
  readonly worst: Severity | null;
  /** A sentence shown beside the table. */
  readonly said: string;
}

/** The subject of a command: a local folder or a library on a server. */
export interface Subject {
  readonly folder: string | null;
  readonly library: string | null;
  readonly server: RuleServer | null;
  /** A file with properties in JSON, as the server describes them. */
  readonly schema: string | null;
}

const CHECK_COLUMNS = ['file', 'severity', 'code', 'name', 'message'];

async function folderOf(path: string): Promise<string> {
  const root = resolve(path);
  const found = await stat(root).catch(() => undefined);
  if (!found?.isDirectory()) throw new Trouble(`${path} is not a folder.`);
  return root;
}

const standInsOf = async (server: RuleServer | null): Promise<StandIns> => compileStandIns(server ? (await server.settings()).standIns : DEFAULT_STAND_INS);

/** Lists names with counts. Unreadable files are counted and raise a warning. */
export async function survey({ folder, library, server }: Subject): Promise<Outcome> {
  if (folder !== null) {
    const count = new NameCount(await standInsOf(server));
    let files = 0;
    const broken: string[] = [];
    for await (const { path, reading, problem } of readFolder(await folderOf(folder))) {
      files++;
      if (reading) count.add(reading);
      if (problem !== null) broken.push(`${path}: ${problem}`);
    }
    return {
      columns: SURVEY_COLUMNS,
      rows: count.rows(),
      worst: broken.length ? 'warning' : null,
      said: [`${files} files, ${broken.length} could not be read`, ...broken].join('\n'),
    };
  }
  const of = await server!.library(library!);
  const found = await server!.survey({ library: of });
  const unread = found.libraries.find((row) => row.id === of)?.unread ?? 0;
  return {
    columns: SURVEY_COLUMNS,
    rows: found.names.map((row) => ({
      name: row.name,
      level: row.level,
      kind: row.kind,
      files: row.files,
      filled: row.filled,
      empty: row.files - row.filled - row.standIns,
      'stand-ins': row.standIns,
      values: row.distinct,
      'looks like': looksLike(row.guess),
      example: row.examples[0] ?? null,
    })),
    worst: unread ? 'warning' : null,
    said: `${found.files} files, ${unread} could not be read`,
  };
}

const valuesOf = (reading: FileReading, place: 'property' | 'field'): Map<string, HeldValue> =>
  new Map(
    reading.holders
      .filter((holder) => holder.key === '')
      .flatMap(({ values }) => values.filter((value) => value.place === place).map(({ name, held }) => [name, held] as const)),
  );

/** Reads a schema document as written by `rule schema export`. */
async function schemaOf(path: string): Promise<Schema> {
  let json: unknown;
  try {
    json = JSON.parse(await readFile(path, 'utf8'));
  } catch (error) {
    throw new Trouble(`${path} cannot be read as JSON: ${error instanceof Error ? error.message : String(error)}`);
  }
  const read = readSchemaDocument(json);
  if (!read.ok) throw new Trouble(`${path} is not a schema written by "rule schema export": ${read.error.details[0]!.message}.`);
  return schemaOfDocument(read.document);
}

/** Lists what breaks the schema or looks wrong, by file. */
export async function check({ folder, library, server, schema }: Subject): Promise<Outcome> {
  if (folder === null && schema !== null) throw new Trouble('A library is checked against the schema in force on the server; use --schema with a folder.');
  const law = folder === null ? null : schema !== null ? await schemaOf(schema) : server ? await server.schema() : null;
  const standIns = await standInsOf(server);
  const prepared = law && new PreparedSchema(law, { standIns, states: DEFAULT_STATES, instant: Date.now() / 1000 });
  const broken = prepared?.problems[0];
  if (broken) throw new Trouble(broken.message);
  const rows: Row[] = [];
  const severities: { severity: Severity }[] = [];
  let files = 0;
  const take = (file: string | null, findings: readonly Finding[]) => {
    files++;
    for (const { severity, code, name, message } of findings) {
      rows.push({ file, severity, code, name, message });
      severities.push({ severity });
    }
  };
  if (folder !== null) {
    for await (const { path, reading, problem } of readFolder(await folderOf(folder))) {
      const file: CheckedFile = {
        name: basename(path),
        folder: dirname(path) === '.' ? '' : dirname(path),
        className: null,
        state: null,
        kind: reading?.kind ?? 'other',
        problem,
        notes: reading?.problems.map((note) => note.message) ?? [],
        properties: reading ? valuesOf(reading, 'property') : new Map<string, HeldValue>(),
        fields: reading ? valuesOf(reading, 'field') : new Map<string, HeldValue>(),
      };
      // Files without properties of their own are not checked.
      take(path, checkFile(file, reading ? prepared : null, standIns));
    }
  } else for await (const [path, findings] of checkLibrary(server!, await server!.library(library!))) take(path, findings);
  const n = (severity: Severity) => severities.filter((entry) => entry.severity === severity).length;
  return {
    columns: CHECK_COLUMNS,
    rows,
    worst: gravest(severities),
    said: `${files} files: ${n('error')} errors, ${n('warning')} warnings, ${n('note')} notes`,
  };
}

/** Checks the files of a library using the server's findings, page by page. */
async function* checkLibrary(server: RuleServer, library: number): AsyncGenerator<[string | null, Finding[]]> {
  for (let after: number | null = 0; after !== null;) {
    const page: CheckPage = await server.check(library, after);
    const byFile = new Map<number, { path: string; findings: Finding[] }>();
    for (const { file, path, ...finding } of page.rows) {
      const entry = byFile.get(file) ?? { path, findings: [] };
      entry.findings.push(finding);
      byFile.set(file, entry);
    }
    for (const { path, findings } of byFile.values()) yield [path, findings];
    for (let clean = page.files - byFile.size; clean > 0; clean--) yield [null, []];
    after = page.last;
  }
}
