import { Layout, LayoutDraft, WHOLE_LIBRARY } from '@rule/contract';
import { Property, sameWording } from '@rule/core/schema';
import { Db } from '../platform/db';
import { notFound, refused } from '../platform/problem';
import { Properties } from '../schema/properties';
import { User } from '../users/user';

const ROW = `l.id, l.name, l.purpose, l.shared, l.content, coalesce(u.display_name, '') AS "by", coalesce(l.user_id = $1, false) AS mine`;

/** Saved table layouts: rows, properties and format. */
export class Layouts {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
  ) {}

  /** The user's own layouts and shared ones. */
  list(user: Pick<User, 'id'>): Promise<Layout[]> {
    return this.db.all<Layout>(
      `SELECT ${ROW} FROM exchange_layouts l LEFT JOIN users u ON u.id = l.user_id WHERE l.shared OR l.user_id = $1 ORDER BY l.name, l.id`,
      [user.id],
    );
  }

  /** Suggested layouts for common purposes, based on the current schema. */
  async purposes(): Promise<LayoutDraft[]> {
    const active = [...(await this.properties.ofFiles(this.db)).values()];
    const named = (...names: string[]) =>
      active.filter((property) => names.some((name) => sameWording(property.writtenName, name) || sameWording(property.caption, name)));
    const column = (editable: boolean) => (property: Property) => ({ property: property.id, header: '', editable });
    const bought = named('Supplier', 'Vendor', 'Manufacturer', 'Order number', 'Order no', 'Supplier part number', 'Lead time', 'Price');
    return [
      { name: 'Whole library', purpose: 'Every file with every property that applies.', shared: true, content: WHOLE_LIBRARY },
      ...(bought.length
        ? [
            {
              name: 'Purchasing',
              purpose: `Purchasing fills in ${bought.map((property) => property.caption).join(', ')}; identifying columns are read-only.`,
              shared: true,
              content: {
                ...WHOLE_LIBRARY,
                filter: { kind: 'part' as const },
                protect: true,
                columns: [...named('Part number', 'Description', 'Title', 'Material').map(column(false)), ...bought.map(column(true))],
              },
            },
          ]
        : []),
      { name: 'Missing required values', purpose: 'Only files that lack a required value.', shared: true, content: { ...WHOLE_LIBRARY, rows: 'missing' } },
      {
        name: 'Survey of strays',
        purpose: 'Files with names outside the schema, with those names as columns.',
        shared: true,
        content: { ...WHOLE_LIBRARY, rows: 'strays' },
      },
    ];
  }

  /** Shared layouts with a property as a column, by name. */
  async withProperty(property: number): Promise<string[]> {
    const found = await this.db.all<{ name: string }>(
      `SELECT name FROM exchange_layouts WHERE shared AND content->'columns' @> jsonb_build_array(jsonb_build_object('property', $1::int)) ORDER BY name`,
      [property],
    );
    return found.map((row) => row.name);
  }

  async get(user: Pick<User, 'id'>, id: number): Promise<Layout> {
    const row = (await this.list(user)).find((layout) => layout.id === id);
    if (!row) throw notFound(`Layout ${id}`);
    return row;
  }

  async save(user: Pick<User, 'id'> | null, id: number | null, draft: LayoutDraft): Promise<{ id: number }> {
    const known = await this.properties.active(this.db);
    for (const column of draft.content.columns) if (!known.has(column.property)) throw notFound(`Property ${column.property}`);
    const values = [draft.name, draft.purpose, draft.shared, JSON.stringify(draft.content)];
    if (id === null) {
      const row = await this.db.one<{ id: number }>(
        'INSERT INTO exchange_layouts (name, purpose, shared, content, user_id) VALUES ($1, $2, $3, $4::jsonb, $5) RETURNING id',
        [...values, user?.id ?? null],
      );
      return { id: row!.id };
    }
    await this.mayChange(user, id);
    await this.db.run('UPDATE exchange_layouts SET name = $2, purpose = $3, shared = $4, content = $5::jsonb WHERE id = $1', [id, ...values]);
    return { id };
  }

  async remove(user: User, id: number): Promise<void> {
    await this.mayChange(user, id);
    const used = await this.db.one<{ name: string }>(`SELECT content->>'name' AS name FROM deliveries WHERE layout_id = $1 LIMIT 1`, [id]);
    if (used) throw refused('layout-in-use', `The delivery ${used.name} uses this layout.`);
    await this.db.run('DELETE FROM exchange_layouts WHERE id = $1', [id]);
  }

  /** Only the owner or an administrator may change a layout. */
  private async mayChange(user: Pick<User, 'id'> | (Pick<User, 'id'> & Pick<User, 'role'>) | null, id: number): Promise<void> {
    const row = await this.db.one<{ owner: number | null }>('SELECT user_id AS owner FROM exchange_layouts WHERE id = $1', [id]);
    if (!row) throw notFound(`Layout ${id}`);
    const administrator = user !== null && 'role' in user && user.role === 'administrator';
    if (user !== null && !administrator && row.owner !== user.id)
      throw refused('not-yours', 'Only the owner or an administrator can change this layout. Save it under another name.');
  }
}
