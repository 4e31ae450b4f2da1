import { Property, isHeldAt, newDraft } from '@rule/core/schema';
import { Db, Sql } from '../platform/db';
import { Memo } from '../platform/memo';
import { notFound } from '../platform/problem';

interface Row {
  readonly id: number;
  readonly retired: boolean;
  readonly definition: Partial<Property>;
}

/** A definition as stored; what older versions of Rule did not know is as in a new draft. */
export const fillIn = <T extends Partial<Property>>(definition: T): Property & T => {
  const fresh = newDraft('');
  return {
    ...fresh,
    ...definition,
    form: { ...fresh.form, ...definition.form },
    mayChange: { ...fresh.mayChange, ...definition.mayChange },
  } as Property & T;
};

const toProperty = ({ id, retired, definition }: Row): Property => ({ ...fillIn(definition), id, retired });

/** The properties of the edition in force, in its order. Choices of a property with a list are those of the list. */
export class Properties {
  private memo: { readonly of: Sql; readonly memo: Memo } | undefined;

  /** @param db where the same properties are asked for again and again: there they are kept until somebody changes them */
  constructor(db: Db | null = null) {
    if (db) this.memo = { of: db, memo: new Memo(db) };
  }

  /** Not to be changed: others may get the same list. */
  list(sql: Sql): Promise<Property[]> {
    return sql === this.memo?.of ? this.memo.memo.get('list', () => this.read(sql)) : this.read(sql);
  }

  private async read(sql: Sql): Promise<Property[]> {
    const [found, lists] = await Promise.all([
      sql.all<Row>('SELECT id, retired, definition FROM properties ORDER BY position, id'),
      sql.all<{ name: string; choices: string[] }>(
        `SELECT name, coalesce((SELECT jsonb_agg(c->>'value') FROM jsonb_array_elements(content->'choices') c WHERE NOT (c->>'retired')::boolean), '[]') AS choices FROM choice_lists`,
      ),
    ]);
    const byName = new Map(lists.map((list) => [list.name, list.choices]));
    return found.map(toProperty).map((property) => (property.list === null ? property : { ...property, choices: byName.get(property.list) ?? [] }));
  }

  /** The active properties that files hold themselves: not those of holders inside or above them. */
  async ofFiles(sql: Sql): Promise<Map<number, Property>> {
    return new Map([...(await this.active(sql))].filter(([, property]) => isHeldAt(property, 'document')));
  }

  /** Properties that are in use, by number. */
  async active(sql: Sql): Promise<Map<number, Property>> {
    return new Map((await this.list(sql)).filter((property) => !property.retired).map((property) => [property.id, property]));
  }

  async get(sql: Sql, id: number): Promise<Property> {
    const property = (await this.list(sql)).find((candidate) => candidate.id === id);
    if (!property) throw notFound(`Property ${id}`);
    return property;
  }
}
