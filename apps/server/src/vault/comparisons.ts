import { LinkValues } from '@rule/contract';
import { Kind, Link, checkProposed, forClass, passingAt } from '@rule/core/schema';
import { HeldValue, StandIns, compileStandIns, heldText } from '@rule/core/values';
import { Decision, decide, whyNotTaken } from '@rule/core/vault';
import { Db, asRecordset } from '../platform/db';
import { readSettings } from '../platform/settings';
import { Editions } from '../schema/editions';
import { Properties } from '../schema/properties';
import { Judgements } from '../values/judgements';
import { VaultEntry } from './port';
import { Side, linkedFiles, sidesOf } from './sides';
import { definitionOf } from './said';

/** A link of a file: its three values, and exact addresses. */
export interface Compared {
  readonly values: LinkValues;
  readonly side: Side;
}

/** Files compared with their records, link by link. */
export class LinkComparisons {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly editions: Editions,
    private readonly judgements: Pick<Judgements, 'settle'>,
    private readonly clock: () => Date,
  ) {}

  /** The links of the edition in force. */
  async inForce(): Promise<readonly Link[]> {
    return (await this.editions.inForce(this.db)).schema.links;
  }

  /** The links of one file with all values and exact addresses. */
  async compare(id: number, kind: Kind, { record, state }: Pick<VaultEntry, 'record'> & { readonly state: string }): Promise<readonly Compared[]> {
    return (await this.compareAll([{ id, kind, record, state }])).get(id)!;
  }

  /**
   * The same for many files, with a fixed number of statements.
   * @param exactly whether exact held values are needed, not only displayed ones
   * @param played replaces a file's side
   */
  async compareAll(
    files: readonly { readonly id: number; readonly kind: Kind; readonly record: VaultEntry['record']; readonly state: string }[],
    exactly = true,
    played: (link: Link, side: Side) => Side = (_, side) => side,
  ): Promise<ReadonlyMap<number, readonly Compared[]>> {
    const links = await this.inForce();
    const byId = new Map((await this.properties.list(this.db)).map((property) => [property.id, property]));
    const ids = files.map((file) => file.id);
    await this.judgements.settle(ids);
    const linked = await linkedFiles(this.db, ids);
    const [sides, agreements, definition, settings] = await Promise.all([
      sidesOf(this.db, linked, links, byId, exactly),
      this.agreements(ids, links),
      definitionOf(this.db),
      readSettings(this.db),
    ]);
    const standIns = compileStandIns(settings.standIns);
    const classes = new Map(linked.map((file) => [file.id, file.className]));
    const holds = new Map(links.map((link) => [link.id, link]));
    return new Map(
      files.map(({ id, kind, record: values, state }): [number, readonly Compared[]] => [
        id,
        [...(sides.get(id) ?? [])].map(([number, held]): Compared => {
          const link = holds.get(number)!;
          const side = played(link, held);
          const record = values[link.field] ?? null;
          const last = agreements.get(id)?.get(number);
          const decision: Decision = side.why === null ? decide(passingAt(link, state), side.text, record, last) : { action: 'stays', reason: side.why };
          const refusal =
            decision.action === 'in'
              ? whyNotTaken(definition, link.field, kind, side.text)
              : decision.action === 'out'
                ? whyNotWritten(side, record, classes.get(id) ?? null, standIns)
                : null;
          const adds = decision.action === 'out' && side.targets.some(({ address, held }) => address.place === 'property' && held === null);
          const told: LinkValues = {
            link,
            end: side.end,
            name: side.targets[0]?.address.name ?? side.property?.writtenName ?? '',
            file: side.text,
            record,
            decision,
            adds,
            refused: refusal,
          };
          return {
            values: last === undefined ? told : Object.assign(told, { agreed: last }),
            side,
          };
        }),
      ]),
    );
  }

  /**
   * Last agreed values by file and link. Agreements for another field or address do not count. Loaded as one JSON list: the driver parses
   * rows slowly.
   */
  private async agreements(files: readonly number[], links: readonly Link[]): Promise<Map<number, Map<number, string | null>>> {
    const found = await this.db.one<{ list: [file: number, link: number, value: string | null][] | null }>(
      `SELECT json_agg(json_build_array(a.file_id, a.link_id, a.value)) AS list FROM agreed_values a
       JOIN jsonb_to_recordset($2::jsonb) AS l(id int, field text, at jsonb) ON l.id = a.link_id AND l.field = a.field AND l.at = a.leads_to
       WHERE a.file_id = ANY($1::int[])`,
      [files, asRecordset(links.map(({ id, field, at }) => ({ id, field, at })))],
    );
    const agreed = new Map<number, Map<number, string | null>>();
    for (const [file, link, value] of found?.list ?? []) {
      let own = agreed.get(file);
      if (!own) agreed.set(file, (own = new Map<number, string | null>()));
      own.set(link, value);
    }
    return agreed;
  }

  /** Stores agreed values. */
  async agree(file: number, compared: readonly { values: LinkValues }[]): Promise<void> {
    const list = compared
      .filter(({ values }) => values.decision.action === 'equal')
      .map(({ values: { link, file: value } }) => ({ link: link.id, value, field: link.field, leads: link.at }));
    await this.db.run(
      `INSERT INTO agreed_values (link_id, file_id, value, at, field, leads_to)
       SELECT link, $2, value, $3, field, leads
       FROM jsonb_to_recordset($1::jsonb) AS n(link int, value text, field text, leads jsonb)
       ON CONFLICT (link_id, file_id) DO UPDATE SET value = excluded.value, at = excluded.at, field = excluded.field, leads_to = excluded.leads_to`,
      [asRecordset(list), file, this.clock()],
    );
  }
}

/** A record's text as a file value, with the usual checks. */
export const written = (side: Side, text: string | null, className: string | null, standIns: StandIns) =>
  side.property ? checkProposed(text ?? '', forClass(side.property, className), standIns) : null;

/** Why a record's text cannot be written into the file; `null` if it can. */
export function whyNotWritten(side: Side, text: string | null, className: string | null, standIns: StandIns): string | null {
  if (side.targets.length === 0) return 'the file has no place for it';
  const check = written(side, text, className, standIns);
  return check === null || check.ok ? null : `${side.property!.caption} ${check.violations[0]!.message}`;
}

/** A record's text as the file would hold it. */
export function proposedOf(side: Side, text: string | null, className: string | null, standIns: StandIns): HeldValue | null {
  const check = written(side, text, className, standIns);
  if (check?.ok) return check.held;
  return text === null || text === '' ? null : heldText(text);
}
