import { Line } from '@rule/core/changes';
import { Kind, familyOf, onBlock, slotOf } from '@rule/core/schema';
import { HeldValue, heldText } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { Db } from '../platform/db';
import { AppError } from '../platform/problem';
import { Derived } from '../schema/derive';
import { Editions, inForceOf } from '../schema/editions';
import { Properties } from '../schema/properties';
import { CellTexts } from '../titleblocks/cell-texts';
import { User } from '../users/user';
import { heldAt } from '../values/held';
import { Attempt } from './opened-table';

declare module '../platform/pool' {
  interface Tasks {
    readonly toTray: (input: TrayInput) => Promise<Attempt<PutAway>>;
  }
}

export interface TrayInput {
  readonly takeBack: number;
  readonly user: User;
  readonly at: Date;
  /** Destination: the user's tray, or a separate change set with this title. */
  readonly apart: string | null;
}

/** Number of cells moved, and the separate change set if any. */
export interface PutAway {
  readonly cells: number;
  readonly changeSet: number | null;
}

/** Reason given to lines of a take-back; also used to find them. */
export const reasonOf = (takeBack: number, row: number): string => `take-back ${takeBack}, row ${row}`;

interface Cell {
  readonly id: number;
  readonly row: number;
  readonly file: number;
  readonly kind: Kind;
  readonly holder: string;
  readonly label: string | null;
  readonly property: number;
  readonly name: string | null;
  readonly verdict: string;
  readonly current: HeldValue | null;
  readonly proposed: HeldValue | null;
}

/**
 * Moves cells to be taken into a user's tray, with what follows. Conflicts and spoiled values use the current value as base, since they
 * were settled in the table.
 * @returns how many
 */
export async function toTray({ takeBack, user, at, apart }: TrayInput, db: Db): Promise<Attempt<PutAway>> {
  const clock = () => at;
  const properties = new Properties();
  const trays = new Trays(db, properties, new CellTexts(clock), new Editions(db, clock), new Derived(clock), clock);
  const cells = await db.all<Cell>(
    `SELECT c.id, c.row, c.file_id AS file, f.kind, c.holder, c.property_id AS property, c.name, c.verdict, c.current, c.proposed,
       (SELECT h.label FROM holders h WHERE h.file_id = c.file_id AND h.key = c.holder) AS label FROM take_back_cells c JOIN files f ON f.id = c.file_id
     WHERE c.take_back_id = $1 AND c.decision = 'take' AND c.outcome IS NULL AND c.takeable ORDER BY c.row, c.id`,
    [takeBack],
  );
  if (cells.length === 0) return { ok: false, code: 'nothing-to-take', message: 'No cells are marked to be taken.' };
  const active = await properties.active(db);
  const { bindings } = (await inForceOf(db)).schema;
  const made: { id: number; place: string; slot: string; line: Line; settled: boolean }[] = [];
  for (const cell of cells) {
    const property = active.get(cell.property);
    const slot =
      cell.name !== null
        ? { place: 'property' as const, name: cell.name }
        : property && slotOf(cell.label !== null && property.level === 'sheet' ? onBlock(property, bindings, familyOf(cell.label)) : property, cell.kind);
    if (!slot) return { ok: false, code: 'retired-column', message: 'One of the properties was retired since the file was read. Compare it again.' };
    made.push({
      id: cell.id,
      place: slot.place,
      slot: slot.name,
      settled: cell.verdict !== 'change',
      line: {
        address: { file: cell.file, holder: cell.holder, ...slot },
        base: cell.current,
        // A title block cell holds text and cannot be removed.
        proposed: slot.place === 'cell' ? heldText(cell.proposed?.text ?? '') : cell.proposed,
        reason: reasonOf(takeBack, cell.row),
        follows: false,
      },
    });
  }
  const settled = made.filter((entry) => entry.settled);
  const now = await heldAt(
    db,
    settled.map((entry) => entry.line.address),
  );
  const bases = new Map(settled.map((entry, i) => [entry.id, now[i]!]));
  const lines = made.map(({ id, line }) => (bases.has(id) ? { ...line, base: bases.get(id)! } : line));
  let changeSet: number | null = null;
  try {
    if (apart === null) await trays.add(user, lines);
    else changeSet = await trays.apart(user, apart, lines);
  } catch (error) {
    if (error instanceof AppError) return { ok: false, code: error.code, message: error.message };
    throw error;
  }
  await db.run(
    `UPDATE take_back_cells c SET outcome = 'tray', place = n.place, slot = n.slot
      FROM unnest($1::int[], $2::text[], $3::text[]) AS n(id, place, slot) WHERE c.id = n.id`,
    [made.map((entry) => entry.id), made.map((entry) => entry.place), made.map((entry) => entry.slot)],
  );
  return { ok: true, value: { cells: made.length, changeSet } };
}
