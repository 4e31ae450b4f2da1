import { Property, isHeldAt, newDraft } from '@rule/core/schema';
import { Db, Sql } from '../platform/db';
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
  constructor(private readonly db: Db) {}

  async list(sql: Sql = this.db): Promise<Property[]> {
    const [found, lists] = await Promise.all([
      sql.all<Row>('SELECT id, retired, definition FROM properties ORDER BY position, id'),
      sql.all<{ name: string; choices: string[] }>(
        `SELECT name, coalesce((SELECT jsonb_agg(c->>'value') FROM jsonb_array_elements(content->'choices') c WHERE NOT (c->>'retired')::boolean), '[]') AS choices FROM choice_lists`,
      ),
    ]);
    const byName = new Map(lists.map((list) => [list.name, list.choices]));
    return found.map(toProperty).map((property) => (property.list === null ? property : { ...property, choices: byName.get(property.list) ?? [] }));
  }

  /** Properties that are in use, by number. */
  /** The active properties that files hold themselves: not those of holders inside or above them. */
  async ofFiles(): Promise<Map<number, Property>> {
    return new Map([...(await this.active())].filter(([, property]) => isHeldAt(property, 'document')));
  }

  async active(): Promise<Map<number, Property>> {
    return new Map((await this.list()).filter((property) => !property.retired).map((property) => [property.id, property]));
  }

  async get(id: number): Promise<Property> {
    const property = (await this.list()).find((candidate) => candidate.id === id);
    if (!property) throw notFound(`Property ${id}`);
    return property;
  }
}
