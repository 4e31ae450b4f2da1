import { SchemaDocument } from '@rule/contract';
import { readSchemaDocument } from '@rule/contract/checks';
import { CellLook, WorkbookWriter, TableError, readCsv, readWorkbook } from '@rule/core/exchange';
import {
  ChoiceListDraft,
  Schema,
  SeriesDraft,
  draftOf,
  formDocument,
  mappingDocument,
  readSchemaTable,
  schemaPage,
  schemaTable,
  toJsonSchema,
} from '@rule/core/schema';
import { Db } from '../platform/db';
import { invalid } from '../platform/problem';
import { User } from '../users/user';
import { Editions } from './editions';
import { readSettings } from '../platform/settings';

const SCHEMA_CELL: CellLook = { format: '@', locked: false, look: 'lines' };
/** Maximum column width in the workbook, in characters. */
const WIDEST = 46;
/** Column width for its longest line, in characters. */
const widthOf = (texts: readonly string[]): number =>
  texts.reduce((most, text) => Math.min(WIDEST, Math.max(most, ...text.split('\n').map((line) => line.length + 2))), 0);

/** The schema as JSON, workbook or printed page. */
export class SchemaDocuments {
  constructor(
    private readonly db: Db,
    private readonly editions: Editions,
    private readonly clock: () => Date,
  ) {}

  /** An edition by number, or the draft (`null`). */
  private async schema(edition: number | null): Promise<{ schema: Schema; name: string }> {
    if (edition !== null) return { schema: await this.editions.schemaOf(edition), name: `edition ${edition}` };
    const draft = await this.editions.draft();
    return { schema: draft.schema, name: draft.number === null ? `edition ${draft.inForce}` : `draft of edition ${draft.number}` };
  }

  /** JSON Schema for values, with Rule's extensions. */
  async json(edition: number | null): Promise<Record<string, unknown>> {
    const [{ schema, name }, { company }, lists, series] = await Promise.all([
      this.schema(edition),
      readSettings(this.db),
      this.db.all<{ name: string; content: ChoiceListDraft }>('SELECT name, content FROM choice_lists ORDER BY name'),
      this.db.all<{ name: string; definition: SeriesDraft }>('SELECT name, definition FROM number_series ORDER BY name'),
    ]);
    const document: SchemaDocument = {
      rule: 1,
      properties: schema.properties.map((property) => ({ ...draftOf(property), retired: property.retired })),
      checks: schema.checks.map(({ id, ...check }) => (void id, check)),
      forms: schema.forms.map((form) => formDocument(form, schema.properties)),
      strangers: schema.strangers,
      ...mappingDocument(schema.properties, schema.bindings, schema.links),
      lists: lists.map((list) => ({ ...list.content, name: list.name })),
      series: series.map((entry) => ({ ...entry.definition, name: entry.name })),
    };
    return { ...toJsonSchema(schema, `${company}: ${name}`), 'x-rule': document };
  }

  /** Imports a JSON document into the draft. Missing lists and series are added; existing ones stay. */
  async importJson(user: User, body: unknown): Promise<void> {
    const read = readSchemaDocument(body);
    if (!read.ok)
      throw invalid(
        'bad-document',
        `This is not a schema exported from Rule: ${read.error.details[0]!.message}.`,
        read.error.details.slice(0, 50).map(({ path, type, message }) => ({ field: path.join('.'), code: type, message })),
      );
    const { document } = read;
    for (const list of document.lists)
      await this.db.run('INSERT INTO choice_lists (name, content) VALUES ($1, $2::jsonb) ON CONFLICT (name) DO NOTHING', [list.name, JSON.stringify(list)]);
    for (const series of document.series)
      await this.db.run('INSERT INTO number_series (name, definition) VALUES ($1, $2::jsonb) ON CONFLICT (name) DO NOTHING', [
        series.name,
        JSON.stringify(series),
      ]);
    await this.editions.replace(user, 'imported a document', document);
  }

  /** The schema as a workbook for discussion. */
  async workbook(edition: number | null): Promise<{ name: string; bytes: Buffer }> {
    const { schema, name } = await this.schema(edition);
    const [header, ...body] = schemaTable(schema);
    const pieces: Uint8Array[] = [];
    const writer = new WorkbookWriter((piece) => pieces.push(piece));
    writer.beginSheet({
      name: 'Schema',
      columns: header!.map((title, i) => ({ header: title, width: widthOf([title, ...body.map((row) => row[i]!)]), cell: SCHEMA_CELL })),
      frozen: 1,
      filter: true,
      protect: false,
    });
    for (const row of body) writer.addRow(row.map((value) => ({ value })));
    writer.endSheet();
    writer.end();
    return { name: `schema, ${name}.xlsx`, bytes: Buffer.concat(pieces) };
  }

  /** Imports a workbook or CSV file into the draft; nothing is imported if any cell is invalid. */
  async importTable(user: User, name: string, bytes: Uint8Array): Promise<void> {
    const { schema } = await this.editions.draft();
    let cells: string[][];
    try {
      const table = /\.(csv|tsv|txt)$/i.test(name) ? readCsv(bytes) : readWorkbook(bytes)[0];
      if (!table) throw invalid('no-sheet', `${name} has no sheet.`);
      cells = table.rows.map((row) => row.map((cell) => cell.text));
    } catch (error) {
      if (error instanceof TableError) throw invalid(error.code, `${name}: ${error.message}`);
      throw error;
    }
    const { properties, problems } = readSchemaTable(cells, schema);
    if (problems.length)
      throw invalid(
        'bad-table',
        `${name}, row ${problems[0]!.row}, ${problems[0]!.column}: ${problems[0]!.message}`,
        problems.map(({ row, column, message }) => ({ field: `row ${row}, ${column}`, code: 'bad-table', message })),
      );
    if (properties.length === 0) throw invalid('bad-table', `${name} has no properties.`);
    await this.editions.replace(user, `took ${name} back`, { properties });
  }

  async page(edition: number | null): Promise<string> {
    const [{ schema, name }, { company }] = await Promise.all([this.schema(edition), readSettings(this.db)]);
    return schemaPage(schema, { company, edition: name, date: this.clock().toISOString().slice(0, 10) });
  }
}
