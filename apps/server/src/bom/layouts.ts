import { BomLayout, BomLayoutDraft } from '@rule/contract';
import { propertiesOf } from '@rule/core/bom';
import { Db, Sql } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { Properties } from '../schema/properties';
import { User } from '../users/user';
import { LAYOUT_ROW } from './plans';

/** Saved BOM layouts. They only display values, so they are not part of an edition. */
export class BomLayouts {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
  ) {}

  /** Shared layouts and the user's own. */
  list(user: Pick<User, 'id'>, sql: Sql = this.db): Promise<BomLayout[]> {
    return sql.all<BomLayout>(
      `SELECT ${LAYOUT_ROW} FROM bom_layouts l LEFT JOIN users u ON u.id = l.user_id WHERE l.shared OR l.user_id = $1 ORDER BY l.name, l.id`,
      [user.id],
    );
  }

  /** Names of shared layouts with a property as a column. */
  async withProperty(property: number): Promise<string[]> {
    const found = await this.db.all<{ name: string }>(
      `SELECT name FROM bom_layouts
        WHERE shared AND content->'columns' @> jsonb_build_array(jsonb_build_object('of', jsonb_build_object('property', $1::int)))
        ORDER BY name`,
      [property],
    );
    return found.map((row) => row.name);
  }

  /** @throws AppError for an unknown layout or another user's private one */
  async get(user: Pick<User, 'id'>, id: number): Promise<BomLayout> {
    const row = (await this.list(user)).find((layout) => layout.id === id);
    if (!row) throw notFound(`Layout ${id}`);
    return row;
  }

  /** Adds a layout. Only administrators add shared ones. */
  async add(user: User | null, draft: BomLayoutDraft): Promise<BomLayout> {
    await this.check(user, draft, null);
    const row = await this.db.one<{ id: number }>(
      'INSERT INTO bom_layouts (name, purpose, shared, content, user_id) VALUES ($1, $2, $3, $4::jsonb, $5) RETURNING id',
      [draft.name, draft.purpose, draft.shared, JSON.stringify(draft.content), user?.id ?? null],
    );
    return this.saved(user, row!.id);
  }

  /**
   * Changes a layout.
   * @throws AppError if someone saved it after `version` was opened
   */
  async change(user: User, id: number, { version, ...draft }: BomLayoutDraft & Pick<BomLayout, 'version'>): Promise<BomLayout> {
    await this.mayChange(user, id);
    await this.check(user, draft, id);
    const changed = await this.db.run(
      'UPDATE bom_layouts SET name = $3, purpose = $4, shared = $5, content = $6::jsonb, version = version + 1 WHERE id = $1 AND version = $2',
      [id, version, draft.name, draft.purpose, draft.shared, JSON.stringify(draft.content)],
    );
    if (changed === 0)
      throw refused('changed-meanwhile', `Someone else saved the layout ${draft.name} after you opened it. Reload it, or save yours under another name.`);
    return this.saved(user, id);
  }

  async remove(user: User, id: number): Promise<void> {
    await this.mayChange(user, id);
    await this.db.run('DELETE FROM bom_layouts WHERE id = $1', [id]);
  }

  private async saved(user: User | null, id: number): Promise<BomLayout> {
    const row = await this.db.one<BomLayout>(`SELECT ${LAYOUT_ROW} FROM bom_layouts l LEFT JOIN users u ON u.id = l.user_id WHERE l.id = $2`, [
      user?.id ?? 0,
      id,
    ]);
    return row!;
  }

  private async check(user: User | null, { name, shared, content }: BomLayoutDraft, id: number | null): Promise<void> {
    const known = await this.properties.active(this.db);
    const unknown = propertiesOf(content).filter((property) => !known.has(property));
    const classes = new Set((await this.db.all<{ id: number }>('SELECT id FROM classes')).map((row) => row.id));
    const stranger = content.classes.find((rule) => !classes.has(rule.class));
    if (unknown.length) throw invalid('unknown-property', `Property ${unknown.join(', ')} is not in the schema.`);
    if (stranger) throw invalid('unknown-class', `There is no class ${stranger.class}.`);
    const uncounted = content.classes.find((rule) => rule.rule === 'count by' && rule.property === null);
    if (uncounted) throw invalid('count-by', 'Choose the property by which the class is counted.');
    if (await this.db.one('SELECT 1 FROM bom_layouts WHERE name = $1 AND id IS DISTINCT FROM $2', [name, id]))
      throw refused('name-taken', `A layout named ${name} already exists.`);
    if (shared && user !== null && user.role !== 'administrator') {
      const was = id === null ? null : await this.db.one<{ shared: boolean }>('SELECT shared FROM bom_layouts WHERE id = $1', [id]);
      if (!was?.shared) throw refused('not-shared', 'Only administrators can share layouts.');
    }
  }

  /** Only the owner or an administrator may change a layout. */
  private async mayChange(user: User, id: number): Promise<void> {
    const row = await this.db.one<{ owner: number | null }>('SELECT user_id AS owner FROM bom_layouts WHERE id = $1', [id]);
    if (!row) throw notFound(`Layout ${id}`);
    if (user.role !== 'administrator' && row.owner !== user.id)
      throw refused('not-yours', 'Only the owner or an administrator can change this layout. Save it under another name.');
  }
}
