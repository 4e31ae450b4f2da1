import { LineRow, MOST_TRAY_LINES, ProposedAnswer, ProposedValue, Tray, TrayLine } from '@rule/contract';
import { Line, addressKey, judgeLine, orNull, stackLines } from '@rule/core/changes';
import { Property, PropertyLevel, Slot, checkProposed, familyOf, forClass, isHeldAt, isWide, onBlock, reaches, slotOf, whyNotChanged } from '@rule/core/schema';
import { HeldValue, compileStandIns, heldText, sameHeld } from '@rule/core/values';
import { FILE_STATE, TARGET_STATE_FROM, TargetState } from '../library/file-state';
import { Db, Sql, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { Derived } from '../schema/derive';
import { Editions } from '../schema/editions';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { clashesOf } from '../schema/unique';
import { User } from '../users/user';
import { heldAt, standing } from '../values/held';
import { HELD } from '../library/readings';
import { INSERT_LINES, LINE_FROM, LINE_ROW, PendingLine, STORED_LINE, StoredLine, asAccepted, asLines, insertLines, storedLines, toLine } from './lines';
import { Refusal, refusalsOf } from './refusals';

/**
 * A user's pending lines with current values; needs {@link MINE}. What a block consists of is read from the drawing when it is applied, so
 * until then a changed definition counts as unchanged.
 */
const PENDING = `${LINE_FROM} LEFT JOIN LATERAL (${standing('l', 'file_id')}
   UNION ALL SELECT l.base->>'text', l.base->>'form', NULL WHERE l.place = 'block' AND l.base->>'text' IS NOT NULL) v ON true`;
/** Condition of the user's pending lines. The set is looked up first, so that no plan begins with the lines of everybody. */
const MINE = `l.change_set_id = (SELECT s.id FROM change_sets s WHERE s.user_id = $1 AND s.state = 'pending')`;
/** For comparison: no value equals an empty text. */
const plain = (value: string) => `CASE WHEN ${value}->>'text' <> '' THEN jsonb_strip_nulls(${value}) END`;
/** Lines that cannot be applied: the file is removed or locked, or the value was changed by someone else. */
const UNDECIDED = `(f.removed OR f.lock_reason IS NOT NULL OR (${plain(HELD)} IS DISTINCT FROM ${plain('l.base')} AND ${plain(HELD)} IS DISTINCT FROM ${plain('l.proposed')}))`;

/** Maximum number of refused lines in an answer. */
const MOST_ISSUES = 200;
/** Undoable typing steps of a tray. */
const MOST_STEPS = 100;

/** Knows which texts show values and must follow them. */
export interface Follows {
  /** Lines that follow from changed properties. */
  following(sql: Sql, lines: readonly Line[]): Promise<Line[]>;
}

const pending = (row: StoredLine): PendingLine => ({ line: toLine(row), accepted: row.accepted, byRule: row.byRule });
const addressOf = (row: StoredLine): string => addressKey(toLine(row).address);

interface Target extends TargetState {
  readonly removed: boolean;
}

/** @throws AppError naming the refused lines, if any */
function refuse(found: ReadonlyMap<string, Refusal>): void {
  const refusals = [...found.values()];
  if (refusals.length)
    throw invalid(
      'computed',
      refusals[0]!.message,
      refusals.slice(0, MOST_ISSUES).map(({ file, line, message }) => ({ field: `${file}, ${line.address.name}`, code: 'computed', message })),
    );
}

const followingIn = (stored: readonly StoredLine[]): number[] => stored.filter((line) => line.follows).map((line) => line.id);

async function deleteLines(sql: Sql, ids: readonly number[]): Promise<void> {
  if (ids.length) await sql.run('DELETE FROM change_lines WHERE id = ANY($1::int[])', [ids]);
}

/** Keeps an undoable step of the tray `$1` with the reason `$3`. It clears the redo history, and the oldest steps are dropped. */
const KEEP_STEP = `gone AS (DELETE FROM tray_steps WHERE change_set_id = $1 AND (undone OR id NOT IN
    (SELECT id FROM tray_steps WHERE change_set_id = $1 AND NOT undone ORDER BY id DESC LIMIT ${MOST_STEPS - 1}))),
  step AS (INSERT INTO tray_steps (change_set_id, reason, before, after) VALUES ($1, $3, $4::jsonb, $5::jsonb))`;

/** A line as a step keeps it. */
type StepLine = Line & Pick<PendingLine, 'byRule'>;

/**
 * Merges lines into those of a pending set.
 * @returns the set's own lines at their addresses before and after, the others, and the stored ones that make way
 */
function stacked(
  stored: readonly StoredLine[],
  lines: readonly Line[],
): { readonly before: readonly StepLine[]; readonly after: readonly Line[]; readonly others: readonly PendingLine[]; readonly gone: readonly number[] } {
  const touched = new Set(lines.map((line) => addressKey(line.address)));
  const [kept, others] = [stored.filter((row) => touched.has(addressOf(row))), stored.filter((row) => !touched.has(addressOf(row)))];
  const after = stackLines(
    kept.map((line) => ({ ...toLine(line), follows: false })),
    lines,
  );
  return {
    before: kept.filter((line) => !line.follows).map((row) => ({ ...toLine(row), byRule: row.byRule })),
    after,
    others: others.map(pending),
    gone: kept.map((line) => line.id),
  };
}

/** Every user's pending lines. */
export class Trays {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly shown: Follows,
    private readonly editions: Editions,
    private readonly derived: Derived,
    private readonly clock: () => Date,
  ) {}

  /** The number of a user's pending change set; created if needed. */
  async pendingSet(sql: Sql, user: Pick<User, 'id'>): Promise<number> {
    // Updating an existing set also locks it: one query instead of two.
    const row = await sql.one<{ id: number }>(
      `INSERT INTO change_sets AS s (title, user_id, state, at) VALUES ('', $1, 'pending', $2)
       ON CONFLICT (user_id) WHERE state = 'pending' DO UPDATE SET at = s.at RETURNING id`,
      [user.id, this.clock()],
    );
    return row!.id;
  }

  /** The pending lines: counts of all, and the first lines, undecided ones first. */
  async view(user: User): Promise<Tray> {
    const [totals, lines] = await Promise.all([
      this.db.often.one<Tray['counts'] & Tray['steps']>(
        `SELECT c.*, t.* FROM
           (SELECT count(*)::int AS lines, count(*) FILTER (WHERE l.accepted)::int AS accepted, count(DISTINCT l.file_id)::int AS files,
              count(*) FILTER (WHERE l.accepted AND ${UNDECIDED})::int AS undecided FROM ${PENDING} WHERE ${MINE}) c,
           (SELECT count(*) FILTER (WHERE NOT t.undone)::int AS undo, count(*) FILTER (WHERE t.undone)::int AS redo
              FROM tray_steps t JOIN change_sets s ON s.id = t.change_set_id AND s.user_id = $1 AND s.state = 'pending') t`,
        [user.id],
      ),
      this.trayLines(user, `TRUE ORDER BY NOT (${UNDECIDED}), l.follows, l.id LIMIT ${MOST_TRAY_LINES}`, []),
    ]);
    const { undo, redo, ...counts } = totals!;
    return { counts, steps: { undo, redo }, lines };
  }

  /** Pending lines of some files, or of projects and sets (negative numbers). */
  pendingFor(user: User, files: readonly number[]): Promise<TrayLine[]> {
    return this.trayLines(user, 'l.file_id = ANY($2::int[]) ORDER BY l.id', [files]);
  }

  private async trayLines(user: User, condition: string, bind: readonly unknown[]): Promise<TrayLine[]> {
    const found = await this.db.often.all<LineRow & { lock: string | null; removed: boolean; also: string[] | null; current: HeldValue | null }>(
      `SELECT ${LINE_ROW}, f.lock_reason AS lock, f.removed,
         CASE WHEN v.text IS NULL THEN NULL ELSE ${HELD} END AS current,
         (SELECT array_agg(o.who ORDER BY o.who) FROM
            (SELECT (SELECT u.display_name FROM change_sets os JOIN users u ON u.id = os.user_id WHERE os.id = o.change_set_id AND os.state = 'pending') AS who
             FROM change_lines o WHERE o.file_id = l.file_id AND o.holder = l.holder AND o.place = l.place AND o.name = l.name
               AND NOT o.follows AND o.change_set_id <> l.change_set_id) o WHERE o.who IS NOT NULL) AS also
       FROM ${PENDING} WHERE ${MINE} AND ${condition}`,
      [user.id, ...bind],
    );
    return found.map(({ lock, removed, also, current, ...line }): TrayLine => ({
      ...line,
      current: orNull(current),
      verdict: judgeLine(toLine(line), current),
      refused: removed ? 'It is no longer in the library.' : lock === null ? null : `The file ${lock}.`,
      alsoPending: also ?? [],
    }));
  }

  /** Accepted lines of a user's tray; all, or those of some files. */
  async accepted(user: User, files: readonly number[] | null): Promise<Line[]> {
    const found = await this.db.all<LineRow>(
      `SELECT ${LINE_ROW} FROM ${LINE_FROM} JOIN change_sets s ON s.id = l.change_set_id
       WHERE s.user_id = $1 AND s.state = 'pending' AND l.accepted AND ($2::int[] IS NULL OR l.file_id = ANY($2::int[])) ORDER BY l.id`,
      [user.id, files],
    );
    return found.map(toLine);
  }

  /**
   * Checks typed values and adds them to the tray. If one is refused, nothing is added; locked files are left out as long as others remain.
   * @returns the files left out
   */
  async propose(user: User, values: readonly ProposedValue[], reason: string): Promise<ProposedAnswer['left']> {
    const [law, active, settings, { schema }, files, levels] = await Promise.all([
      this.db.law(),
      this.properties.active(this.db),
      readSettings(this.db),
      this.editions.inForce(this.db),
      this.files(values.map((value) => value.file)),
      this.levels(values),
    ]);
    const { bindings } = schema;
    const standIns = compileStandIns(settings.standIns);
    const issues: { field: string; code: string; message: string }[] = [];
    const left = new Map<number, ProposedAnswer['left'][number]>();
    const wanted: { value: ProposedValue; property: Property; slot: Slot; held: HeldValue | null }[] = [];
    for (const value of values) {
      const file = files.get(value.file);
      const property = active.get(value.property);
      const field = `${file?.path ?? `file ${value.file}`}, ${property?.caption ?? `property ${value.property}`}`;
      const refuse = (code: string, message: string) => issues.push({ field, code, message: `${field}: ${message}.` });
      if (!file || file.removed) {
        refuse('unknown-file', 'is not in the library');
        continue;
      }
      const { kind, className, state } = file;
      const level = isWide(kind) ? kind : value.holder ? levels.get(`${value.file}/${value.holder}`)?.level : 'document';
      if (!property) refuse('unknown-property', 'is not in the schema');
      else if (!level) refuse('unknown-holder', 'the file no longer has this holder');
      else if (!isWide(kind) && !property.kinds.includes(kind)) refuse('not-reached', `does not apply to a ${kind}`);
      else if (!isWide(kind) && !reaches(property, kind, className)) refuse('not-reached', `does not apply to files of the class ${className ?? 'none'}`);
      else if (!isHeldAt(property, level)) refuse('not-reached', `is held at ${property.level} level, not by a ${level}`);
      else {
        const own = forClass(property, className);
        const closed = whyNotChanged(own, { role: user.role, kind, className, state });
        if (closed !== null) refuse('computed', closed);
        else if (file.lock !== null) {
          refuse('locked', file.lock);
          left.set(value.file, { file: value.file, path: file.path, reason: `The file ${file.lock}.` });
        } else {
          const check = checkProposed(value.text, own, standIns);
          const block = level === 'sheet' ? levels.get(`${value.file}/${value.holder}`)!.label : null;
          const slot: Slot = isWide(kind)
            ? { place: 'property', name: property.writtenName }
            : slotOf(block === null ? own : onBlock(own, bindings, familyOf(block)), kind);
          if (level === 'sheet' && slot.place !== 'cell') refuse('no-home', `no cell of the title block ${block} is its home`);
          else if (!check.ok) for (const violation of check.violations) refuse(violation.code, violation.message);
          // A title block cell holds texts, and cannot be taken out.
          else if (slot.place === 'cell') wanted.push({ value, property: own, slot, held: heldText(check.held === null ? '' : value.text) });
          else wanted.push({ value, property: own, slot, held: check.held });
        }
      }
    }
    for (const property of new Set(wanted.map((entry) => active.get(entry.property.id)!))) {
      const own = wanted.filter((entry) => entry.property.id === property.id && entry.held !== null && entry.value.file > 0 && !entry.value.holder);
      const clashes = await clashesOf(
        this.db,
        property,
        own.map(({ value, held }) => ({ file: value.file, text: held!.text })),
      );
      for (const [id, other] of clashes) {
        const field = `${files.get(id)!.path}, ${property.caption}`;
        issues.push({ field, code: 'not-unique', message: `${field}: ${other} already has this value.` });
      }
    }
    // A locked file blocks the others only if something else is wrong or there are no others.
    if (issues.some(({ code }) => code !== 'locked') || (issues.length && wanted.length === 0)) throw invalid('bad-values', issues[0]!.message, issues);
    const addresses = wanted.map(({ value, slot }) => ({ file: value.file, holder: value.holder ?? '', ...slot }));
    await this.step(
      user,
      reason,
      async () => {
        const current = await heldAt(this.db.often, addresses);
        return wanted.map(({ held }, i): Line => ({ address: addresses[i]!, base: current[i]!, proposed: held, reason, follows: false }));
      },
      law,
    );
    return [...left.values()];
  }

  /** Lines the schema in force does not let a user write, by address. */
  async refusals(user: User, lines: readonly Line[]): Promise<Map<string, Refusal>> {
    const [{ schema }, files] = await Promise.all([this.editions.inForce(this.db), this.files([...new Set(lines.map((line) => line.address.file))])]);
    const cells = lines.filter((line) => line.address.place === 'cell');
    const levels = await this.levels(cells.map(({ address }) => ({ file: address.file, holder: address.holder })));
    return refusalsOf(user, lines, schema, files, new Map([...levels].map(([key, { label }]) => [key, label])));
  }

  /**
   * Adds lines to the pending ones and recomputes what follows. Lines that a person may not write are refused.
   * @param permission `given` when the caller has judged it; `by rule` for lines that the schema requires, which need none
   */
  async add(user: User, lines: readonly Line[], permission: 'judge' | 'given' | 'by rule' = 'judge'): Promise<void> {
    const byRule = permission === 'by rule';
    if (permission === 'judge') refuse(await this.refusals(user, lines));
    await this.db.transaction(async (sql) => {
      const set = await this.pendingSet(sql, user);
      const stored = await storedLines(sql, set);
      const { after, others, gone } = stacked(stored, lines);
      const following = await this.followingOf(sql, [...others, ...after.map(asAccepted)]);
      await deleteLines(sql, [...gone, ...followingIn(stored)]);
      await insertLines(sql, set, [...after.map((line) => ({ line, accepted: true, byRule })), ...following]);
    });
  }

  /** Adds typed lines as an undoable step. Forbidden lines are refused. */
  async type(user: User, lines: readonly Line[], reason: string): Promise<void> {
    refuse(await this.refusals(user, lines));
    await this.step(user, reason, () => Promise.resolve(lines));
  }

  /** Lines of a set at the addresses of other lines. */
  private linesAt(sql: Sql, set: number, lines: readonly Pick<Line, 'address'>[]): Promise<StoredLine[]> {
    return sql.all<StoredLine>(
      `SELECT ${STORED_LINE} FROM change_lines l JOIN jsonb_to_recordset($2::jsonb) AS n(file int, holder text, place text, name text)
         ON l.file_id = n.file AND l.holder = n.holder AND l.place = n.place AND l.name = n.name
       WHERE l.change_set_id = $1 ORDER BY l.id`,
      [set, asRecordset(lines.map((line) => line.address))],
    );
  }

  /**
   * Adds typed lines as an undoable step.
   * @param linesOf asked outside the transaction, while it begins
   */
  private async step(user: User, reason: string, linesOf: () => Promise<readonly Line[]>, law?: string): Promise<void> {
    const asked = linesOf();
    // Rejections are met below, where the lines are needed.
    asked.catch(() => undefined);
    await this.db.transaction(async (sql) => {
      const set = await this.pendingSet(sql, user);
      const stored = await storedLines(sql, set);
      const { before, after, others, gone } = stacked(stored, await asked);
      const following = await this.followingOf(sql, [...others, ...after.map(asAccepted)]);
      await deleteLines(sql, [...gone, ...followingIn(stored)]);
      // One statement: on a busy server, every answer that is waited for costs a turn.
      await sql.run(`WITH ${KEEP_STEP} ${INSERT_LINES}`, [
        set,
        asLines([...after.map(asAccepted), ...following]),
        reason,
        JSON.stringify(before),
        JSON.stringify(after),
      ]);
    }, law);
  }

  /**
   * Undoes the last step, or redoes it with `again`. Lines changed in another way meanwhile stay as they are.
   * @throws AppError if there is no such step
   */
  async undo(user: User, again: boolean): Promise<void> {
    await this.db.transaction(async (sql) => {
      const set = await this.pendingSet(sql, user);
      const step = await sql.one<{ id: number; before: StepLine[]; after: StepLine[] }>(
        `SELECT id, before, after FROM tray_steps WHERE change_set_id = $1 AND undone = $2 ORDER BY id ${again ? 'ASC' : 'DESC'} LIMIT 1`,
        [set, again],
      );
      if (!step) throw refused('no-step', again ? 'There is nothing to redo.' : 'There is nothing to undo. Applied changes can be reverted in History.');
      const [from, to] = again ? [step.before, step.after] : [step.after, step.before];
      const key = (line: Line) => addressKey(line.address);
      const standing = new Map((await this.linesAt(sql, set, [...from, ...to])).filter((line) => !line.follows).map((line) => [key(toLine(line)), line]));
      const left = new Map(from.map((line) => [key(line), line]));
      const untouched = (line: Line) => {
        const now = standing.get(key(line));
        const then = left.get(key(line));
        return now === undefined ? then === undefined : then !== undefined && sameHeld(toLine(now).proposed, then.proposed);
      };
      const mine = [...new Map([...from, ...to].map((line) => [key(line), line])).values()].filter(untouched);
      const addresses = new Set(mine.map(key));
      await deleteLines(
        sql,
        (await this.linesAt(sql, set, mine)).map((line) => line.id),
      );
      await insertLines(
        sql,
        set,
        to.filter((line) => addresses.has(key(line))).map(({ byRule = false, ...line }) => ({ line, accepted: true, byRule })),
      );
      await sql.run('UPDATE tray_steps SET undone = $2 WHERE id = $1', [step.id, !again]);
      await this.follow(sql, set);
    });
  }

  async drop(user: User, ids: readonly number[] | 'all'): Promise<void> {
    await this.db.transaction(async (sql) => {
      const set = await this.pendingSet(sql, user);
      await sql.run('DELETE FROM change_lines WHERE change_set_id = $1 AND ($2::int[] IS NULL OR id = ANY($2::int[]))', [set, ids === 'all' ? null : ids]);
      // Clears the undo history.
      if (ids === 'all') await sql.run('DELETE FROM tray_steps WHERE change_set_id = $1', [set]);
      await this.follow(sql, set);
    });
  }

  /** Removes the lines of files from a user's tray. */
  async dropFiles(user: User, files: readonly number[]): Promise<void> {
    await this.db.transaction(async (sql) => {
      const set = await this.pendingSet(sql, user);
      await sql.run('DELETE FROM change_lines WHERE change_set_id = $1 AND file_id = ANY($2::int[])', [set, files]);
      await this.follow(sql, set);
    });
  }

  async accept(user: User, ids: readonly number[] | 'all', accepted: boolean): Promise<void> {
    await this.db.transaction(async (sql) => {
      const set = await this.pendingSet(sql, user);
      await sql.run('UPDATE change_lines SET accepted = $3 WHERE change_set_id = $1 AND ($2::int[] IS NULL OR id = ANY($2::int[]))', [
        set,
        ids === 'all' ? null : ids,
        accepted,
      ]);
      await this.follow(sql, set);
    });
  }

  /** Settles a conflict: `mine` continues from the current value, `theirs` drops the line. */
  async settle(user: User, id: number, take: 'mine' | 'theirs'): Promise<void> {
    await this.db.transaction(async (sql) => {
      const set = await this.pendingSet(sql, user);
      const line = (await storedLines(sql, set)).find((candidate) => candidate.id === id);
      if (!line) throw notFound(`Line ${id} of your tray`);
      const [current] = await heldAt(sql, [toLine(line).address]);
      if (take === 'theirs' || sameHeld(orNull(current!), orNull(line.proposed))) await sql.run('DELETE FROM change_lines WHERE id = $1', [id]);
      else await sql.run('UPDATE change_lines SET base = $2::jsonb, message = NULL WHERE id = $1', [id, current ? JSON.stringify(current) : null]);
      await this.follow(sql, set);
    });
  }

  /**
   * Recomputes the lines that follow from a set's own: computed values and title block texts. Deselected following lines stay deselected.
   */
  async follow(sql: Sql, set: number): Promise<void> {
    const stored = await storedLines(sql, set);
    const following = await this.followingOf(sql, stored.map(pending));
    await deleteLines(sql, followingIn(stored));
    await insertLines(sql, set, following);
  }

  /** The lines that follow from a set's own ones; deselected following lines stay deselected. */
  private async followingOf(sql: Sql, lines: readonly PendingLine[]): Promise<PendingLine[]> {
    const own = lines.filter(({ line }) => !line.follows);
    const aside = new Set(lines.filter(({ line, accepted }) => line.follows && !accepted).map(({ line }) => addressKey(line.address)));
    const ownAddresses = new Set(own.map(({ line }) => addressKey(line.address)));
    const from = own.filter((entry) => entry.accepted).map(({ line }) => line);
    const following = await this.following(sql, from, (line) => !ownAddresses.has(addressKey(line.address)));
    return following.map((line) => ({ line, accepted: !aside.has(addressKey(line.address)) }));
  }

  /** Lines that follow: computed values and title block texts. */
  private async following(sql: Sql, lines: readonly Line[], free: (line: Line) => boolean): Promise<Line[]> {
    const computed = await this.unlocked(sql, (await this.derived.following(sql, lines)).filter(free));
    const shown = await this.unlocked(sql, (await this.shown.following(sql, [...lines, ...computed])).filter(free));
    return [...computed, ...shown];
  }

  /**
   * Creates a change set from lines and what follows from them, outside any tray.
   * @returns its number
   */
  async apart(user: User, title: string, lines: readonly Line[]): Promise<number> {
    refuse(await this.refusals(user, lines));
    return this.db.transaction(async (sql) => {
      const own = new Set(lines.map((line) => addressKey(line.address)));
      const following = await this.following(sql, lines, (line) => !own.has(addressKey(line.address)));
      const row = await sql.one<{ id: number }>(
        `INSERT INTO change_sets (title, user_id, state, at, mode) VALUES ($1, $2, 'put back', $3, 'whole') RETURNING id`,
        [title, user.id, this.clock()],
      );
      await insertLines(sql, row!.id, [...lines, ...following].map(asAccepted));
      return row!.id;
    });
  }

  /** Lines of writable files; other values wait until their files can be written. */
  private async unlocked(sql: Sql, lines: readonly Line[]): Promise<Line[]> {
    if (lines.length === 0) return [];
    const locked = await sql.all<{ id: number }>('SELECT id FROM files WHERE id = ANY($1::int[]) AND (lock_reason IS NOT NULL OR removed)', [
      [...new Set(lines.map((line) => line.address.file))],
    ]);
    const ids = new Set(locked.map((row) => row.id));
    return lines.filter((line) => !ids.has(line.address.file));
  }

  /** Levels and labels of the holders that values are meant for. */
  private async levels(
    values: readonly Pick<ProposedValue, 'file' | 'holder'>[],
  ): Promise<Map<string, { readonly level: PropertyLevel; readonly label: string }>> {
    const inside = values.filter((value) => value.holder).map(({ file, holder }) => ({ file, holder }));
    if (inside.length === 0) return new Map();
    const found = await this.db.all<{ file: number; key: string; level: PropertyLevel; label: string }>(
      `SELECT DISTINCT h.file_id AS file, h.key, h.level, h.label FROM holders h
        JOIN jsonb_to_recordset($1::jsonb) AS n(file int, holder text) ON h.file_id = n.file AND h.key = n.holder`,
      [asRecordset(inside)],
    );
    return new Map(found.map(({ file, key, level, label }) => [`${file}/${key}`, { level, label }]));
  }

  private async files(ids: readonly number[]): Promise<Map<number, Target>> {
    const found = await this.db.often.all<Target>(`SELECT ${FILE_STATE}, f.removed FROM ${TARGET_STATE_FROM} WHERE f.id = ANY($1::int[])`, [ids]);
    return new Map(found.map((file) => [file.id, file]));
  }
}
