import { Property, currentChoices, isHeldAt, newDraft } from '@rule/core/schema';
import { Sql } from '../platform/db';
import { notFound } from '../platform/problem';
import { choiceListsOf } from './choices';

interface Row {
  readonly id: number;
  readonly retired: boolean;
  readonly definition: Partial<Property>;
}

/** Completes a stored definition with defaults for newer fields. */
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

/** Properties of the edition in force, in order, with choices from their lists. */
export class Properties {
  /** Shared; do not modify. */
  list(sql: Sql): Promise<Property[]> {
    return sql.kept('properties', async (own) => {
      const found = await own.all<Row>('SELECT id, retired, definition FROM properties ORDER BY position, id');
      const lists = new Map((await choiceListsOf(own)).map((list) => [list.name, currentChoices(list)]));
      return found.map(toProperty).map((property) => (property.list === null ? property : { ...property, choices: lists.get(property.list) ?? [] }));
    });
  }

  /** Active document-level properties. */
  async ofFiles(sql: Sql): Promise<Map<number, Property>> {
    return new Map([...(await this.active(sql))].filter(([, property]) => isHeldAt(property, 'document')));
  }

  /** Active properties by number. */
  async active(sql: Sql): Promise<Map<number, Property>> {
    return new Map((await this.list(sql)).filter((property) => !property.retired).map((property) => [property.id, property]));
  }

  async get(sql: Sql, id: number): Promise<Property> {
    const property = (await this.list(sql)).find((candidate) => candidate.id === id);
    if (!property) throw notFound(`Property ${id}`);
    return property;
  }
}
