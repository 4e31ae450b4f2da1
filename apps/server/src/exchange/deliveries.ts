import { copyFile, lstat, mkdir, readdir, realpath, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Delivery, DeliveryDraft, WatchedFolder, WatchedFolderDraft } from '@rule/contract';
import { Db, asRecordset } from '../platform/db';
import { LOCKS } from '../platform/locks';
import { AppError, invalid, notFound, refused } from '../platform/problem';
import { readPlain } from '../platform/plain-file';
import { sync } from '../platform/durable';
import { exists, freeName, within } from '../platform/store';
import { filterSql } from '../library/filter';
import { User } from '../users/user';
import { Layouts } from './layouts';
import { SendOuts } from './send-outs';
import { LARGEST_TABLE, TakeBacks } from './take-backs';

/** Minimum age of an incoming file, in milliseconds: its program may still be writing. */
const SETTLED = 3000;
const TABLE = /\.(xlsx|csv|txt|tsv|json|xml)$/i;
/** Subfolders of a watched folder. */
const TAKEN = 'taken';
const LEFT = 'not taken';
/** Suffix of the hidden name of a file being processed. */
const TAKING = '.taking';

type LastDelivery = NonNullable<Delivery['last']>;
type LastFile = NonNullable<WatchedFolder['last']>;

/** The next due time of a delivery after an instant. All times are UTC. */
export function nextDue({ when, minute, weekday }: Pick<DeliveryDraft, 'when' | 'minute' | 'weekday'>, after: Date): Date | null {
  if (when === 'release') return null;
  const due = new Date(after);
  due.setUTCSeconds(0, 0);
  if (when === 'hourly') {
    due.setUTCMinutes(minute % 60);
    if (due <= after) due.setUTCHours(due.getUTCHours() + 1);
    return due;
  }
  due.setUTCHours(Math.floor(minute / 60), minute % 60);
  const days = when === 'weekly' ? (weekday - due.getUTCDay() + 7) % 7 : 0;
  due.setUTCDate(due.getUTCDate() + days);
  if (due <= after) due.setUTCDate(due.getUTCDate() + (when === 'weekly' ? 7 : 1));
  return due;
}

/** Scheduled or release-triggered deliveries to server folders, and tables taken back from watched folders. */
export class Deliveries {
  constructor(
    private readonly db: Db,
    private readonly layouts: Layouts,
    private readonly sendOuts: SendOuts,
    private readonly takeBacks: TakeBacks,
    /** Rule's own folders, which take no tables. */
    private readonly forbidden: readonly string[],
    private readonly clock: () => Date,
  ) {}

  async list(): Promise<Delivery[]> {
    const found = await this.db.all<{ id: number; content: DeliveryDraft; nextAt: string | null; last: Delivery['last'] }>(
      `SELECT id, content, next_at AS "nextAt", last FROM deliveries ORDER BY content->>'name', id`,
    );
    return found.map(({ id, content, nextAt, last }) => ({ ...content, id, nextAt, last }));
  }

  async save(user: User, id: number | null, draft: DeliveryDraft): Promise<{ id: number }> {
    const { shared, mine } = await this.layouts.get(user, draft.layout);
    if (!shared && !mine) throw notFound(`Layout ${draft.layout}`);
    const content: DeliveryDraft = { ...draft, folder: await this.folder(draft.folder) };
    if (draft.when === 'release' && draft.state === '') throw invalid('no-state', 'Choose the workflow state that counts as released.');
    const next = draft.active ? nextDue(draft, this.clock()) : null;
    if (id === null) {
      const row = await this.db.one<{ id: number }>(
        'INSERT INTO deliveries (user_id, content, layout_id, next_at) VALUES ($1, $2::jsonb, $3, $4) RETURNING id',
        [user.id, JSON.stringify(content), draft.layout, next],
      );
      return { id: row!.id };
    }
    const touched = await this.db.run('UPDATE deliveries SET content = $2::jsonb, layout_id = $3, next_at = $4, user_id = $5 WHERE id = $1', [
      id,
      JSON.stringify(content),
      draft.layout,
      next,
      user.id,
    ]);
    if (touched === 0) throw notFound(`Delivery ${id}`);
    return { id };
  }

  async remove(id: number): Promise<void> {
    if ((await this.db.run('DELETE FROM deliveries WHERE id = $1', [id])) === 0) throw notFound(`Delivery ${id}`);
  }

  async folders(): Promise<WatchedFolder[]> {
    const found = await this.db.all<{ id: number; content: WatchedFolderDraft; last: WatchedFolder['last'] }>(
      `SELECT id, content, last FROM watched_folders ORDER BY content->>'folder', id`,
    );
    return found.map(({ id, content, last }) => ({ ...content, id, last }));
  }

  async saveFolder(user: User, id: number | null, draft: WatchedFolderDraft): Promise<{ id: number }> {
    const content: WatchedFolderDraft = { ...draft, folder: await this.folder(draft.folder) };
    const twin = (await this.folders()).find((folder) => folder.folder === content.folder && folder.id !== id);
    if (twin) throw refused('watched-already', `${content.folder} is already watched.`);
    if (id === null) {
      const row = await this.db.one<{ id: number }>('INSERT INTO watched_folders (user_id, content) VALUES ($1, $2::jsonb) RETURNING id', [
        user.id,
        JSON.stringify(content),
      ]);
      return { id: row!.id };
    }
    if ((await this.db.run('UPDATE watched_folders SET content = $2::jsonb, user_id = $3 WHERE id = $1', [id, JSON.stringify(content), user.id])) === 0)
      throw notFound(`Watched folder ${id}`);
    return { id };
  }

  async removeFolder(id: number): Promise<void> {
    if ((await this.db.run('DELETE FROM watched_folders WHERE id = $1', [id])) === 0) throw notFound(`Watched folder ${id}`);
  }

  /** A server folder that is neither Rule's own nor part of a library. */
  private async folder(path: string): Promise<string> {
    const folder = await realpath(path).catch(() => null);
    if (folder === null || !(await stat(folder)).isDirectory()) throw invalid('no-folder', `${path} is not a folder on the server.`);
    if (this.forbidden.some((own) => within(folder, own) || within(own, folder)))
      throw invalid('own-folder', `${path} contains Rule's own data or is part of it.`);
    const roots = await this.db.all<{ name: string; root: string }>('SELECT name, root FROM libraries');
    const library = roots.find(({ root }) => within(folder, root) || within(root, folder));
    if (library) throw invalid('library-folder', `${path} is part of the library ${library.name} or contains it.`);
    return folder;
  }

  /** Delivers what is due and takes back what has arrived. Runs at least once a minute; servers share the work. */
  async tick(): Promise<void> {
    const now = this.clock();
    for (const { id } of await this.db.all<{ id: number }>('SELECT id FROM deliveries WHERE next_at <= $1', [now])) await this.claim(id, now);
    for (const delivery of await this.list())
      if (delivery.active && delivery.when === 'release') await this.db.unlessTaken(LOCKS.delivery, delivery.id, () => this.deliverReleased(delivery));
    for (const folder of await this.folders()) if (folder.active) await this.db.unlessTaken(LOCKS.watched, folder.id, () => this.lookInto(folder));
  }

  /** Claims a delivery unless another server has. */
  private async claim(id: number, now: Date): Promise<void> {
    const delivery = (await this.list()).find((candidate) => candidate.id === id);
    if (!delivery?.active) return;
    const claimed = await this.db.run('UPDATE deliveries SET next_at = $2 WHERE id = $1 AND next_at <= $3', [id, nextDue(delivery, now), now]);
    if (claimed > 0) await this.deliver(id);
  }

  /**
   * Delivers now.
   * @returns what was written
   */
  async deliver(id: number, only: readonly number[] | null = null): Promise<LastDelivery> {
    const row = await this.db.one<{ content: DeliveryDraft; user: Pick<User, 'id' | 'role'> }>(
      `SELECT d.content, jsonb_build_object('id', u.id, 'role', u.role) AS user FROM deliveries d JOIN users u ON u.id = d.user_id WHERE d.id = $1`,
      [id],
    );
    if (!row) throw notFound(`Delivery ${id}`);
    const { content, user } = row;
    const at = this.clock();
    let last: LastDelivery;
    try {
      const folder = await this.folder(content.folder);
      const layout = await this.layouts.get(user, content.layout);
      const sent = await this.sendOuts.now(
        user,
        content.format,
        layout.content,
        { name: content.name, recipient: '', layout: layout.id, delivery: true },
        only,
      );
      const stamp = at.toISOString().slice(0, 19).replace('T', ' ').replaceAll(':', '-');
      const name = `${content.name.replace(/[\\/:*?"<>|]+/g, '-')} ${stamp}.${content.format}`;
      // Watchers of the folder see the complete file or none.
      const temp = join(folder, `.${name}.part`);
      try {
        await copyFile(sent.path, temp);
        await sync(temp);
        await rename(temp, join(folder, name));
      } catch (error) {
        await rm(temp, { force: true });
        throw error;
      } finally {
        // A delivery does not come back, so it needs no base.
        await this.db.run('DELETE FROM send_outs WHERE id = $1', [sent.id]);
        await rm(sent.path, { force: true });
      }
      last = { at: at.toISOString(), file: name, rows: sent.rows, trouble: null };
    } catch (error) {
      if (!(error instanceof AppError) && !(error as NodeJS.ErrnoException).code) throw error;
      last = { at: at.toISOString(), file: null, rows: 0, trouble: error instanceof Error ? error.message : String(error) };
    }
    await this.db.run('UPDATE deliveries SET last = $2::jsonb WHERE id = $1', [id, JSON.stringify(last)]);
    return last;
  }

  /** Delivers files that reached the state since the last delivery, or changed in it. */
  private async deliverReleased(delivery: Delivery): Promise<void> {
    const layout = await this.db.one<{ content: { filter: Parameters<typeof filterSql>[0] } }>('SELECT content FROM exchange_layouts WHERE id = $1', [
      delivery.layout,
    ]);
    const { sql, bind } = filterSql(layout?.content.filter ?? {}, 3);
    const found = await this.db.all<{ id: number; hash: string }>(
      `SELECT f.id, f.hash FROM files f
        LEFT JOIN delivered_files d ON d.delivery_id = $1 AND d.file_id = f.id
        WHERE ${sql} AND f.workflow_state = $2 AND d.hash IS DISTINCT FROM f.hash`,
      [delivery.id, delivery.state, ...bind],
    );
    if (found.length === 0) return;
    const { trouble } = await this.deliver(
      delivery.id,
      found.map((file) => file.id),
    );
    if (trouble === null)
      await this.db.run(
        `INSERT INTO delivered_files SELECT $1, id, hash
          FROM jsonb_to_recordset($2::jsonb) AS n(id int, hash text)
          ON CONFLICT (delivery_id, file_id) DO UPDATE SET hash = excluded.hash`,
        [delivery.id, asRecordset(found)],
      );
  }

  /** Takes back every table in a folder. Each is moved away with a report beside it. */
  private async lookInto({ id, folder, apply }: WatchedFolder): Promise<void> {
    const user = await this.db.one<User>(
      `SELECT u.id, u.name, u.display_name AS "displayName", u.role FROM watched_folders w JOIN users u ON u.id = w.user_id WHERE w.id = $1`,
      [id],
    );
    const names = await readdir(folder).catch(() => null);
    if (!user || names === null) {
      await this.note(id, { at: this.clock().toISOString(), file: '', takeBack: null, trouble: `${folder} cannot be read.` });
      return;
    }
    names.push(...(await this.putBack(id, folder, names)));
    for (const name of names.sort()) {
      if (!TABLE.test(name) || name.startsWith('.') || name.startsWith('~$')) continue;
      const path = join(folder, name);
      const about = await lstat(path).catch(() => null);
      if (!about?.isFile() || Date.now() - about.mtimeMs < SETTLED || this.stuck.get(path) === about.mtimeMs) continue;
      // Hidden from other programs while it is processed.
      const claimed = join(folder, `.${name}${TAKING}`);
      try {
        await rename(path, claimed);
      } catch (error) {
        this.stuck.set(path, about.mtimeMs);
        await this.note(id, this.trouble(name, `${name} cannot be moved (${(error as NodeJS.ErrnoException).code}) and was not taken back.`));
        continue;
      }
      const last = await this.takeOne(user, folder, name, claimed, about.size, apply);
      // A file that cannot be moved is not taken again until it changes.
      if (await exists(path)) this.stuck.set(path, about.mtimeMs);
      await this.note(id, last);
    }
  }

  /** Files in watched folders that cannot be moved, by path, with their modification time. */
  private readonly stuck = new Map<string, number>();

  private trouble(file: string, trouble: string): LastFile {
    return { at: this.clock().toISOString(), file, takeBack: null, trouble };
  }

  /**
   * Restores the names of tables that were being taken when their server died; they are taken again.
   * @returns those names
   */
  private async putBack(id: number, folder: string, names: readonly string[]): Promise<string[]> {
    const back: string[] = [];
    for (const hidden of names.filter((name) => name.startsWith('.') && name.endsWith(TAKING))) {
      const name = await freeName(folder, hidden.slice(1, -TAKING.length));
      const moved = await rename(join(folder, hidden), join(folder, name)).then(
        () => true,
        () => false,
      );
      await this.note(
        id,
        this.trouble(name, moved ? `${name} was being taken back when the server stopped; starting again.` : `${hidden} cannot be moved back to its name.`),
      );
      if (moved) back.push(name);
    }
    return back;
  }

  private async takeOne(user: User, folder: string, name: string, claimed: string, size: number, apply: boolean): Promise<LastFile> {
    const at = this.clock().toISOString();
    /**
     * Moves the file and writes a report beside it.
     * @returns what went wrong; the file is never lost
     */
    const end = async (where: string, report: string): Promise<string | null> => {
      try {
        const away = join(folder, where);
        await mkdir(away, { recursive: true });
        const target = join(away, await freeName(away, `${at.slice(0, 19).replaceAll(':', '-').replace('T', ' ')} ${name}`));
        await rename(claimed, target);
        await writeFile(`${target}.report.txt`, `${report}\n`);
        return null;
      } catch (error) {
        const code = (error as NodeJS.ErrnoException).code ?? String(error);
        if (!(await exists(claimed))) return `The report on ${name} could not be written (${code}). ${report}`;
        await rename(claimed, join(folder, await freeName(folder, name)));
        return `${name} cannot be moved to "${where}" (${code}) and stays where it is. ${report}`;
      }
    };
    try {
      if (size > LARGEST_TABLE) throw invalid('too-large', `${name} is larger than ${LARGEST_TABLE / 2 ** 20} MiB.`);
      // Nobody can be asked: an ambiguous row does not hold up the others.
      const view = await this.takeBacks.take(user, name, await readPlain(claimed), { leaveAmbiguous: true });
      const { takeBack, inspection, issueCount, open } = view;
      const counts = takeBack.counts;
      const said = counts
        ? [
            `Take-back ${takeBack.id}: ${counts.total} cells in ${counts.rows} rows.`,
            `unchanged ${counts.unchanged}, would change ${counts.change}, already in Rule ${counts.same}, changed on both sides ${counts.conflict}, spoiled ${counts.spoiled}, refused ${counts.error}, in skipped rows ${counts.notTaken}, in skipped columns ${counts.ignored}`,
            ...view.warnings,
            ...view.issues.map((issue) => `Row ${issue.row}: ${issue.message}`),
          ]
        : [
            `Take-back ${takeBack.id} waits in Exchange: ${takeBack.state === 'asking' ? `Rule asks about its ${(inspection?.asks ?? []).join(', ')}` : takeBack.state}.`,
          ];
      let trouble: string | null = counts ? null : said[0]!;
      if (apply && counts && counts.change > 0) {
        const report = await this.takeBacks.applyUnasked(user, takeBack.id, 'file by file');
        said.push(
          `Applied ${report.applied} values in ${report.files} files, ${report.failed} not.`,
          ...report.failures.map((failure) => `${failure.path}: ${failure.message}`),
        );
        if (report.failed > 0) trouble = `${report.failed} values of ${name} were not applied.`;
      }
      if (trouble === null && (open > 0 || issueCount > 0)) trouble = `${name}: ${open} cells need a decision, ${issueCount} rows were skipped.`;
      const left = await end(counts ? TAKEN : LEFT, said.join('\n'));
      return { at, file: name, takeBack: takeBack.id, trouble: left ?? trouble };
    } catch (error) {
      const message = error instanceof Error ? error.message : String(error);
      return { at, file: name, takeBack: null, trouble: (await end(LEFT, message)) ?? message };
    }
  }

  private async note(id: number, last: LastFile): Promise<void> {
    await this.db.run('UPDATE watched_folders SET last = $2::jsonb WHERE id = $1', [id, JSON.stringify(last)]);
  }
}
