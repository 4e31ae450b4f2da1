import { Overview } from '@rule/contract';
import { Hop, wayOf } from '@rule/core/trace';
import { EntryForm, compareNames, likenessKey, linkFilesWords, slotOf } from '@rule/core/schema';
import { CellState } from '@rule/core/titleblocks';
import { compileStandIns } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Db, asRecordset } from '../platform/db';
import { Memo } from '../platform/memo';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { TitleBlocks } from '../titleblocks/titleblocks';
import { Vault } from '../vault/vault';
import { Boms } from '../bom/boms';
import { BomLayouts } from '../bom/layouts';
import { Layouts } from '../exchange/layouts';
import { SendOuts } from '../exchange/send-outs';
import { Judgements } from '../values/judgements';
import { ToDos } from '../upkeep/to-dos';

/** Whether the stored counts of names tell how far a slot is filled. */
const isNamed = ({ place, meant }: { readonly place: string; readonly meant: readonly string[] }) => place === 'property' && meant.length === 0;

/** Company-wide progress, and the way of single properties. */
export class Overviews {
  private readonly memo: Memo;

  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly judgements: Judgements,
    private readonly titleBlocks: TitleBlocks,
    private readonly boms: Boms,
    private readonly bomLayouts: BomLayouts,
    private readonly vault: Vault,
    private readonly layouts: Layouts,
    private readonly sendOuts: SendOuts,
    private readonly toDos: ToDos,
  ) {
    this.memo = new Memo(db);
  }

  /** How far every property is filled, by kind. */
  private async coverage(): Promise<Overview['coverage']> {
    const active = await this.properties.ofFiles(this.db);
    const standIns = compileStandIns((await readSettings(this.db)).standIns);
    const slots = [...active.values()].flatMap((property) => {
      // A stand-in counts as one even if it is among the choices.
      const meant = property.choices.filter((choice) => standIns.matches(choice));
      return property.kinds.map((kind) => ({ property: property.id, kind, meant, ...slotOf(property, kind) }));
    });
    // The counts of names leave stand-ins out, also where they are meant; only such slots, and those other than properties, need all values.
    const [named, others] = [slots.filter(isNamed), slots.filter((slot) => !isNamed(slot))];
    type Count = { property: number; kind: string; filled: number; standIns: number };
    const [totals, ofNames, ofOthers] = await Promise.all([
      this.db.all<{ kind: string; files: number }>('SELECT kind, count(*)::int AS files FROM files WHERE NOT removed AND problem IS NULL GROUP BY kind'),
      this.db.all<Count>(
        `SELECT s.property, s.kind, sum(c.filled)::int AS filled, sum(c.stand_ins)::int AS "standIns"
         FROM jsonb_to_recordset($1::jsonb) AS s(property int, kind text, name text)
         JOIN name_counts c ON c.name = s.name AND c.kind = s.kind AND c.level = 'document' GROUP BY s.property, s.kind`,
        [asRecordset(named)],
      ),
      others.length === 0
        ? []
        : this.db.all<Count>(
            `SELECT s.property, s.kind, count(*) FILTER (WHERE v.text <> '' AND NOT (v.stand_in AND v.text <> ALL(s.meant)))::int AS filled,
           count(*) FILTER (WHERE v.stand_in AND v.text <> ALL(s.meant))::int AS "standIns"
         FROM jsonb_to_recordset($1::jsonb) AS s(property int, kind text, place text, name text, meant text[])
         JOIN held_values v ON v.place = s.place AND v.name = s.name AND v.kind = s.kind AND v.holder = '' GROUP BY s.property, s.kind`,
            [asRecordset(others)],
          ),
    ]);
    const filesOf = new Map(totals.map((row) => [row.kind, row.files]));
    const countOf = new Map([...ofNames, ...ofOthers].map((row) => [`${row.property} ${row.kind}`, row]));
    return slots.map(({ property, kind, place, name }) => {
      const files = filesOf.get(kind) ?? 0;
      const { filled, standIns: standing } =
        place === 'field' && name === 'file name' ? { filled: files, standIns: 0 } : (countOf.get(`${property} ${kind}`) ?? { filled: 0, standIns: 0 });
      return { property, kind, files, filled, standIns: standing, blank: files - filled - standing };
    });
  }

  /** Progress, computed once for concurrent requests. */
  overview(): Promise<Overview> {
    return this.memo.get('overview', () => this.look());
  }

  private async look(): Promise<Overview> {
    const [settings, files, list, coverage, { missing, stale: staleValues, wrong }, blocks, strays, unmatched, out, drawings, arrived, apart] =
      await Promise.all([
        readSettings(this.db),
        this.db.one<{ files: number; unread: number }>('SELECT count(*)::int AS files, count(problem)::int AS unread FROM files WHERE NOT removed'),
        this.properties.active(this.db),
        this.coverage(),
        this.judgements.counts(),
        this.titleBlocks.list(),
        this.db.one<{ n: number }>(
          `SELECT count(DISTINCT c.name)::int AS n FROM name_counts c WHERE NOT EXISTS (SELECT 1 FROM properties p WHERE p."writtenName" = c.name)`,
        ),
        this.boms.unmatched(),
        this.db.one<{ n: number }>(
          `SELECT count(*)::int AS n FROM send_outs WHERE taken_back_at IS NULL AND closed_at IS NULL AND state = 'done' AND NOT delivery`,
        ),
        this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM files WHERE kind = 'drawing' AND NOT removed AND problem IS NULL AND model_file_id IS NULL`),
        this.toDos.count(),
        this.db.one<{ n: number }>('SELECT count(*)::int AS n FROM choice_lists WHERE source IS NOT NULL AND (differs > 0 OR trouble IS NOT NULL)'),
      ]);
    const unbound = blocks.flatMap((block) => block.cells).filter((cell) => cell.binding === null && !cell.constant).length;
    const inState = (state: CellState) => blocks.flatMap((block) => block.cells).reduce((sum, cell) => sum + (cell.states[state] ?? 0), 0);
    const [stale, erased, lacking] = [inState('stale'), inState('would be erased'), inState('lacking')];
    const toDo = [
      { station: 'survey', count: files!.unread, text: `${count(files!.unread, 'file', 'files')} could not be read` },
      { station: 'survey', count: strays!.n, text: `${count(strays!.n, 'written name is', 'written names are')} not in the schema` },
      { station: 'schema', view: 'lists', count: apart!.n, text: `${count(apart!.n, 'choice list is', 'choice lists are')} no longer in step with the source` },
      {
        station: 'values',
        view: 'to-do',
        count: arrived,
        text: `${count(arrived, 'new or changed file lacks', 'new or changed files lack')} names or required values`,
      },
      { station: 'values', finding: 'missing' as const, count: missing, text: `${count(missing, 'required value is', 'required values are')} missing` },
      { station: 'values', finding: 'wrong' as const, count: wrong, text: `${count(wrong, 'value breaks', 'values break')} the schema` },
      { station: 'values', finding: 'stale' as const, count: staleValues, text: `${count(staleValues, 'value is', 'values are')} stale` },
      { station: 'title-blocks', count: stale, text: `${count(stale, 'title block cell is', 'title block cells are')} stale` },
      {
        station: 'title-blocks',
        count: erased,
        text: `${count(erased, 'title block cell shows', 'title block cells show')} a text where its source is blank`,
      },
      { station: 'title-blocks', count: lacking, text: `${count(lacking, 'title block cell is', 'title block cells are')} missing in drawings` },
      { station: 'title-blocks', count: unbound, text: `${count(unbound, 'cell is', 'cells are')} not bound to a property` },
      { station: 'title-blocks', count: drawings!.n, text: `${count(drawings!.n, 'drawing shows', 'drawings show')} no known model` },
      { station: 'bom', count: unmatched, text: `${count(unmatched, 'part in an assembly has', 'parts in assemblies have')} no part file yet` },
      { station: 'exchange', count: out!.n, text: `${count(out!.n, 'table is', 'tables are')} still out` },
    ].filter((item) => item.count > 0);
    const [draft, forms] = await Promise.all([
      this.db.one<{ number: number }>(`SELECT number FROM editions WHERE state = 'draft'`),
      this.db.one<{ n: number }>(`SELECT coalesce(jsonb_array_length(schema->'forms'), 0)::int AS n FROM editions WHERE state = 'in force'`),
    ]);
    return {
      company: settings.company,
      files: files!.files,
      unread: files!.unread,
      properties: list.size,
      forms: forms?.n ?? 0,
      draft: draft?.number ?? null,
      coverage,
      toDo,
    };
  }

  /** The way of one property. */
  async way(id: number): Promise<Hop[]> {
    const property = await this.properties.get(this.db, id);
    const [coverage, names, cells, columns, vault, tables, sentOut, edition] = await Promise.all([
      this.coverage(),
      this.db.all<{ name: string; files: number }>(
        `SELECT v.name, count(DISTINCT v.file_id)::int AS files FROM held_values v WHERE v.place = 'property' GROUP BY v.name`,
      ),
      this.titleBlocks.cellsOf(id),
      this.bomLayouts.withProperty(id),
      this.vault.state(),
      this.layouts.withProperty(id),
      this.sendOuts.withProperty(id),
      this.db.one<{ forms: EntryForm[] | null }>(`SELECT schema->'forms' AS forms FROM editions WHERE state = 'in force'`),
    ]);
    const forms = edition?.forms;
    const links = vault.links.filter((link) => link.at.some((at) => 'property' in at && at.property === id));
    const filled = new Map((await this.vault.filled(links)).map((row) => [row.link, row]));
    const key = likenessKey(property.writtenName);
    return wayOf({
      property,
      held: coverage.filter((entry) => entry.property === id),
      foundNames: names.filter((found) => likenessKey(found.name) === key),
      cells,
      forms: (forms ?? []).filter((form) => form.panels.some((panel) => panel.inputs.some((input) => input.property === id))).map((form) => form.name),
      columns,
      links: links.map(({ id: link, field, kinds, classes, in: into, out, step }) => ({
        field,
        files: linkFilesWords({ kinds, classes }),
        in: into,
        out,
        step,
        records: filled.get(link)?.records ?? 0,
        filled: filled.get(link)?.filled ?? 0,
      })),
      vaultTable: vault.table.filter(
        (finding) => finding.nearest === property.writtenName || compareNames(finding.row.name, property.writtenName) !== 'different',
      ),
      tables,
      sentOut: sentOut.slice(0, 3),
    });
  }
}
