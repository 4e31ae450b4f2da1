import { join } from 'node:path';
import { CheckInReport, LinkRow, LinkValues, VaultFile, VaultState } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Property, slotOf } from '@rule/core/schema';
import { HeldValue, heldText, holdValue, parseText, readHeld, showValue } from '@rule/core/values';
import { Link, compareVaultTable, decide } from '@rule/core/vault';
import { Applying } from '../changes/apply';
import { Libraries } from '../library/library';
import { Db, asRecordset } from '../platform/db';
import { readPlain } from '../platform/plain-file';
import { AppError, invalid, notFound, refused } from '../platform/problem';
import { Properties } from '../schema/properties';
import { CellTexts } from '../titleblocks/cell-texts';
import { User } from '../users/user';
import { heldAt } from '../values/held';
import { VaultLocks } from './locks';
import { VaultEntry, VaultPort } from './port';

const LINK = `id, field, kind, place, name, "in", "out", "onClash"`;

/** Links between record fields and file addresses, and check-in through them. */
export class Vault {
  constructor(
    private readonly db: Db,
    private readonly port: VaultPort,
    private readonly properties: Properties,
    private readonly libraries: Libraries,
    private readonly texts: CellTexts,
    private readonly locks: VaultLocks,
    private readonly applying: Applying,
    private readonly clock: () => Date,
  ) {}

  links(): Promise<LinkRow[]> {
    return this.db.all<LinkRow>(`SELECT ${LINK} FROM links ORDER BY field, kind`);
  }

  async saveLink(id: number | null, link: Link): Promise<LinkRow> {
    if (await this.db.one('SELECT 1 FROM links WHERE field = $1 AND kind = $2 AND id IS DISTINCT FROM $3', [link.field, link.kind, id]))
      throw refused('field-taken', `The record field ${link.field} is linked for a ${link.kind} already.`);
    const bind = [link.field, link.kind, link.place, link.name, link.in, link.out, link.onClash];
    const row =
      id === null
        ? await this.db.one<LinkRow>(
            `INSERT INTO links (field, kind, place, name, "in", "out", "onClash") VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING ${LINK}`,
            bind,
          )
        : await this.db.one<LinkRow>(
            `UPDATE links SET field = $1, kind = $2, place = $3, name = $4, "in" = $5, "out" = $6, "onClash" = $7 WHERE id = $8 RETURNING ${LINK}`,
            [...bind, id],
          );
    if (!row) throw notFound(`Link ${id}`);
    return row;
  }

  async removeLink(id: number): Promise<void> {
    if ((await this.db.run('DELETE FROM links WHERE id = $1', [id])) === 0) throw notFound(`Link ${id}`);
  }

  /** How the vault stands to the library; what went wrong where it does not answer. */
  async state(): Promise<VaultState> {
    const links = await this.links();
    try {
      const [fields, table, entries, properties] = await Promise.all([
        this.port.fields(),
        this.port.table(),
        this.port.entries(),
        this.properties.list(this.db),
      ]);
      await this.locks.store(entries);
      const byPath = new Map(entries.map((entry) => [entry.path, entry]));
      const files = await this.db.all<{ file: number; path: string; kind: Property['kinds'][number] }>(
        'SELECT id AS file, path, kind FROM files WHERE path = ANY($1::text[]) AND NOT removed ORDER BY path',
        [[...byPath.keys()]],
      );
      return {
        problem: null,
        fields,
        links,
        table: compareVaultTable(
          table,
          properties.filter((property) => !property.retired).map((property) => property.writtenName),
        ),
        files: files.map((file) => {
          const { state, version, checkedOutBy } = byPath.get(file.path)!;
          return { ...file, state, version, checkedOutBy };
        }),
      };
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      return { problem: error.message, fields: [], links, table: [], files: [] };
    }
  }

  private async entry(path: string): Promise<VaultEntry> {
    const [entry] = await this.port.entries([path]);
    if (!entry) throw new AppError(404, 'not-in-vault', `${path} is not in the vault.`);
    return entry;
  }

  async file(id: number): Promise<VaultFile> {
    const file = await this.libraries.file(id);
    const entry = await this.entry(file.path);
    return {
      file,
      version: entry.version,
      state: entry.state,
      checkedOutBy: entry.checkedOutBy,
      values: (await this.compare(id, file.kind, entry)).map(({ values }) => values),
    };
  }

  /** The links of one file with their three values, and what the file holds to the letter. */
  private async compare(
    id: number,
    kind: Link['kind'],
    entry: VaultEntry,
  ): Promise<{ values: LinkValues; held: HeldValue | null; property: Property | null }[]> {
    const links = (await this.links()).filter((link) => link.kind === kind);
    const held = await heldAt(
      this.db,
      links.map(({ place, name }) => ({ file: id, holder: '', place, name })),
    );
    const properties = [...(await this.properties.active(this.db)).values()];
    const agreed = new Map(
      (await this.db.all<{ link: number; value: string | null }>('SELECT link_id AS link, value FROM agreed_values WHERE file_id = $1', [id])).map((row) => [
        row.link,
        row.value,
      ]),
    );
    return links.map((link, i) => {
      const property = properties.find((candidate) => slotOf(candidate).place === link.place && slotOf(candidate).name === link.name) ?? null;
      const file = recordText(held[i]!, property);
      const record = entry.record[link.field] ?? null;
      const last = agreed.get(link.id);
      return {
        values: { link, file, record, ...(last === undefined ? {} : { agreed: last }), decision: decide(link, file, record, last) },
        held: held[i]!,
        property,
      };
    });
  }

  /**
   * Checks a file in: passes values through its links both ways, as decided and settled. The file is checked
   * out first, so that nobody comes between; what the vault refuses leaves file and record as they were.
   */
  async checkIn(user: User, id: number, settled: Readonly<Record<string, 'file' | 'record'>>): Promise<CheckInReport> {
    const file = await this.libraries.file(id);
    const entry = await this.entry(file.path);
    const compared = await this.compare(id, file.kind, entry);
    const open = compared.filter(({ values }) => values.decision.action === 'ask' && !settled[values.link.id]);
    if (open.length)
      throw refused(
        'clash',
        `${open.length === 1 ? '1 clash waits' : `${open.length} clashes wait`} for a decision.`,
        open.map(({ values }) => ({ field: values.link.field, code: 'clash', message: values.decision.reason })),
      );
    const lines: Line[] = [];
    const record: Record<string, string | null> = {};
    for (const { values, held, property } of compared) {
      const choice = settled[values.link.id];
      const action = values.decision.action === 'ask' ? (choice === 'file' ? 'in' : 'out') : values.decision.action;
      if (action === 'in') record[values.link.field] = values.file;
      if (action === 'out')
        lines.push({
          address: { file: id, holder: '', place: values.link.place, name: values.link.name },
          base: held,
          proposed: fileValue(values.record, values.link, property),
          reason: `vault field ${values.link.field}`,
          follows: false,
        });
    }
    await this.port.checkOut(entry.id);
    try {
      let changeSet: number | null = null;
      if (lines.length) {
        const report = await this.applying.applyLines(user, `check-in of ${file.name}`, [...lines, ...(await this.texts.following(this.db, lines))]);
        if (report.state !== 'applied') throw refused('not-applied', `${file.path}: ${report.failures[0]?.message ?? 'the values could not be written'}`);
        changeSet = report.changeSet;
      }
      const root = await this.db.one<{ root: string }>('SELECT l.root FROM libraries l JOIN files f ON f.library_id = l.id WHERE f.id = $1', [id]);
      const bytes = await readPlain(join(root!.root, file.path));
      const after = await this.port.checkIn(
        entry.id,
        bytes,
        changeSet === null ? `Checked in by ${user.displayName} with Rule` : `Checked in by ${user.displayName} with Rule, change set ${changeSet}`,
        record,
      );
      await this.agree(id, await this.compare(id, file.kind, after));
      return { version: after.version, recordChanges: Object.keys(record).length, fileChanges: lines.length, changeSet };
    } catch (error) {
      await this.port.undoCheckOut(entry.id).catch(() => undefined);
      throw error;
    }
  }

  /** Remembers the values on which file and record agree now. */
  private async agree(file: number, compared: readonly { values: LinkValues }[]): Promise<void> {
    const list = compared.filter(({ values }) => values.decision.action === 'equal').map(({ values }) => ({ link: values.link.id, value: values.file }));
    await this.db.run(
      'INSERT INTO agreed_values SELECT link, $2, value, $3 FROM jsonb_to_recordset($1::jsonb) AS n(link int, value text) ON CONFLICT (link_id, file_id) DO UPDATE SET value = excluded.value, at = excluded.at',
      [asRecordset(list), file, this.clock()],
    );
  }
}

/** A held value as a record says it: in the property's unit, without a unit. */
function recordText(held: HeldValue | null, property: Property | null): string | null {
  if (held === null || held.text === '') return null;
  if (!property) return held.text;
  const parsed = readHeld(held, property);
  return parsed.ok ? showValue(parsed.value, { ...property, decimals: null }) : held.text;
}

/** A record's text as the file holds it. @throws AppError when it is no value of the property's type */
function fileValue(text: string | null, link: LinkRow, property: Property | null): HeldValue | null {
  if (text === null || text === '') return null;
  if (!property) return heldText(text);
  const parsed = parseText(text, property);
  if (!parsed.ok) throw invalid('bad-record-value', `The record field ${link.field} cannot go into ${property.caption}: ${parsed.problem.message}.`);
  return holdValue(parsed.value, property);
}
