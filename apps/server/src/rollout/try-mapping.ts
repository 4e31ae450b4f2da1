import { Link, LinkEnd, PreparedSchema, Property, bindingOf, endSlot, linkReaches, passingAt, sameDefinition, slotKey } from '@rule/core/schema';
import { BoundCell, tooLong } from '@rule/core/titleblocks';
import { decide } from '@rule/core/vault';
import { Sql } from '../platform/db';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { CellWorks, PLACED, PlacedBlock } from '../values/cells';
import { recordText } from '../values/linked';

/** File, effect, cell or record field, current and new text, in words. */
type MappedFinding = [
  file: number,
  effect: 'shows' | 'records',
  cell: string | null,
  record: string | null,
  before: string | null,
  after: string | null,
  message: string,
];

/** Files per step; both schemas judge each file completely. */
const BATCH = 500;

const quoted = (text: string | null): string => (text === null || text === '' ? 'nothing' : JSON.stringify(text));

interface VaultRow {
  readonly file: number;
  readonly state: string;
  readonly model: number | null;
  readonly record: Readonly<Record<string, string>>;
  readonly agreed: Readonly<Record<string, string | null>>;
}

/** Effects of a draft on title blocks and records, limited to what a change can reach. */
export class TriedMapping {
  private readonly works: readonly [was: CellWorks, is: CellWorks];

  constructor(
    private readonly was: PreparedSchema,
    private readonly is: PreparedSchema,
    /** Properties whose values may change. */
    private readonly differing: ReadonlySet<number>,
  ) {
    this.works = [new CellWorks(was), new CellWorks(is)];
  }

  /** Whether a cell's text may change. */
  private concerns({ family }: PlacedBlock, tag: string): boolean {
    const [old, fresh] = this.works.map(({ bindings }) => bindingOf(bindings, family, tag));
    if (!sameDefinition(old?.shows ?? null, fresh?.shows ?? null)) return true;
    return [old, fresh].some((binding) => binding?.shows.some((piece) => 'property' in piece && this.differing.has(piece.property)));
  }

  /** Cells of some drawings whose text would change. */
  async cells(sql: Sql, files: readonly number[]): Promise<MappedFinding[]> {
    if (this.works.every(({ bindings }) => bindings.length === 0)) return [];
    const placed = await sql.all<PlacedBlock>(`${PLACED} WHERE b.file_id = ANY($1::int[]) ORDER BY b.file_id, b.holder`, [files]);
    if (placed.length === 0) return [];
    const [old, fresh] = [new Map<string, BoundCell>(), new Map<string, BoundCell>()];
    for (const [i, into] of [old, fresh].entries())
      for (const cell of await this.works[i]!.cells(sql, placed, [], (block, { tag }) => this.concerns(block, tag)))
        into.set(JSON.stringify([cell.drawing, cell.holder, cell.tag]), cell);
    const blocks = new Map(placed.map((block) => [`${block.file}/${block.holder}`, block]));
    return [...new Set([...old.keys(), ...fresh.keys()])].flatMap((key): MappedFinding[] => {
      const [was, is] = [old.get(key), fresh.get(key)];
      if (is && was?.state === is.state && sameDefinition(was.shown, is.shown)) return [];
      const { drawing, holder, tag, stored } = (is ?? was)!;
      const { block, family, layout } = blocks.get(`${drawing}/${holder}`)!;
      // A variant is named after its original block.
      const where = `The cell ${tag} of ${block.startsWith('*') ? family : block} on ${layout}`;
      const after = is?.shown.state === 'value' ? is.shown.text : null;
      const message = !is
        ? `${where} would not be bound and would keep ${quoted(stored)}.`
        : is.state === 'fixed' || is.state === 'computed'
          ? `${where} is ${is.state === 'fixed' ? 'fixed in its block' : 'computed by the drawing'}, so it would not be written.`
          : is.shown.state === 'value'
            ? stored === is.shown.text
              ? `${where} would show ${quoted(after)}, which it already does.`
              : `${where} holds ${quoted(stored)} and would show ${quoted(after)}${tooLong(is.fit) ? ', which is too long for it' : ''}.`
            : `${where} would have nothing to show: ${is.shown.why}. It keeps ${quoted(stored)}.`;
      return [[drawing, 'shows', `${tag} of ${family}`, null, stored, after, message]];
    });
  }

  private outcome(link: Link | undefined, state: string, text: string | null, record: string | null, agreed: string | null | undefined): string | null {
    return link && decide(passingAt(link, state), text, record, agreed).action === 'in' ? text : record;
  }

  /** Record fields the next check-in would leave different. */
  async records(sql: Sql, files: readonly number[]): Promise<MappedFinding[]> {
    const [before, after] = [this.was.schema.links, this.is.schema.links];
    const reached = ({ at }: Link) => at.some((end) => 'property' in end && this.differing.has(end.property));
    if (sameDefinition(before, after) && ![...before, ...after].some(reached)) return [];
    const rows = await sql.all<VaultRow>(
      `SELECT f.id AS file, r.state, f.model_file_id AS model, r.record,
       coalesce((SELECT jsonb_object_agg(a.link_id, a.value) FROM agreed_values a WHERE a.file_id = f.id), '{}') AS agreed
       FROM files f JOIN libraries l ON l.id = f.library_id AND l.in_vault JOIN vault_records r ON r.path = f.path WHERE f.id = ANY($1::int[]) AND NOT f.removed`,
      [files],
    );
    const found: MappedFinding[] = [];
    for (let at = 0; at < rows.length; at += BATCH) {
      const page = rows.slice(at, at + BATCH);
      const around = surroundingsOf([this.was, this.is]);
      const raw = [...before, ...after].flatMap(({ at: ends }) => ends.flatMap((end) => ('name' in end ? [end.name] : [])));
      const facts = await loadFacts(sql, [...new Set(page.flatMap(({ file, model }) => (model === null ? [file] : [file, model])))], {
        ...around,
        names: [...around.names, ...raw],
      });
      for (const { file, state, model, record, agreed } of page) {
        const own = facts.get(file);
        if (!own) continue;
        const shown = model === null ? undefined : facts.get(model);
        const judged = [this.was, this.is].map((schema) => ({ own: schema.judge(own).values, model: shown && schema.judge(shown).values }));
        const textOf = (end: LinkEnd, i: 0 | 1, properties: ReadonlyMap<number, Property>): string | null => {
          if ('property' in end) {
            const from = end.of === 'model' ? judged[i]!.model : judged[i]!.own;
            return recordText(from?.get(end.property)?.value ?? null, properties.get(end.property) ?? null);
          }
          const slot = endSlot(end, own.kind, properties)!;
          return recordText(own.held.get(slotKey(slot.place, slot.name)) ?? null, null);
        };
        const text = (link: Link | undefined, i: 0 | 1, properties: ReadonlyMap<number, Property>): string | null => {
          for (const end of link?.at ?? []) {
            const found = textOf(end, i, properties);
            if (found !== null && found !== '') return found;
          }
          return null;
        };
        const properties = [this.was, this.is].map(({ schema }) => new Map(schema.properties.map((property) => [property.id, property])));
        const linksOf = (links: readonly Link[]) =>
          new Map(links.filter((link) => linkReaches(link, own.kind, own.className)).map((link) => [link.field, link]));
        const [old, fresh] = [linksOf(before), linksOf(after)];
        for (const field of new Set([...old.keys(), ...fresh.keys()])) {
          const [was, is] = [old.get(field), fresh.get(field)];
          const stands = record[field] ?? null;
          const [one, other] = [
            this.outcome(was, state, text(was, 0, properties[0]!), stands, was && agreed[was.id]),
            this.outcome(is, state, text(is, 1, properties[1]!), stands, is && agreed[is.id]),
          ];
          if (one === other) continue;
          found.push([
            file,
            'records',
            null,
            field,
            stands,
            other,
            `The record field ${field} holds ${quoted(stands)}, and would hold ${quoted(other)} after the next check-in instead of ${quoted(one)}.`,
          ]);
        }
      }
    }
    return found;
  }
}
