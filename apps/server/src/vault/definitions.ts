import { FieldOrder } from '@rule/contract';
import { writeCsv } from '@rule/core/exchange';
import { DefinitionView, VaultTableRow, compareDefinition, compareVaultTable, fieldOf, handOver } from '@rule/core/vault';
import { Db } from '../platform/db';
import { notFound, refused } from '../platform/problem';
import { Editions } from '../schema/editions';
import { VaultPort } from './port';
import { definitionOf } from './said';
import { Vault } from './vault';

/** Record definitions compared with the schema and changed where the vault allows it. */
export class Definitions {
  constructor(
    private readonly db: Db,
    private readonly port: Pick<VaultPort, 'saveField' | 'saveTable' | 'table'>,
    private readonly editions: Editions,
    private readonly vault: Vault,
  ) {}

  /** Fields beside draft properties, as last fetched. */
  async view(): Promise<DefinitionView> {
    const [definition, { properties, links }] = await Promise.all([definitionOf(this.db), this.editions.draftSchema()]);
    return compareDefinition(definition, properties, links);
  }

  /** Creates a field from a property, or changes one. System and fixed fields are never touched. */
  async order({ property: id, name, field: wanted }: FieldOrder): Promise<void> {
    const definition = await definitionOf(this.db);
    if (!definition.mayDefine) throw refused('vault-fixed', "Only the vault's administrator changes fields. Send the list out and hand it over.");
    if (id !== undefined) {
      const property = (await this.editions.draftSchema()).properties.find((other) => other.id === id);
      if (!property || property.retired) throw notFound(`Property ${id} of the draft`);
      await this.port.saveField(null, fieldOf(property));
    } else {
      if (definition.systemFields.includes(name!)) throw refused('system-field', `${name} is kept by the vault itself.`);
      const before = definition.fields.find((field) => field.name === name);
      if (!before) throw notFound(`Record field ${name}`);
      if (before.fixed) throw refused('vault-fixed', `Only the vault's administrator changes ${name}.`);
      await this.port.saveField(name!, wanted!);
    }
    await this.vault.refresh();
  }

  /** Changes that only the vault's administrator can make, as CSV. */
  async handedOver(): Promise<string> {
    const { properties } = await this.editions.draftSchema();
    const fields = handOver(await this.view(), properties).map(({ field, what, now, wanted, why }) => [field, what, now, wanted, why]);
    const names = (await this.corrections()).flatMap(({ row, name }) =>
      name === null ? [] : [[row.field, `name for ${row.kind} files`, row.name, name, 'The vault compares names exactly.']],
    );
    return writeCsv([['Record field', 'What', 'Now', 'Wanted', 'Why'], ...fields, ...names]);
  }

  /** Rows of the vault's link table with correct names; `null` if right or unknown. */
  private async corrections(): Promise<{ readonly row: VaultTableRow; readonly name: string | null }[]> {
    const said = await this.db.one<{ table: VaultTableRow[] }>('SELECT link_table AS "table" FROM vault_said');
    const { properties } = (await this.editions.inForce(this.db)).schema;
    const found = compareVaultTable(
      said?.table ?? [],
      properties.filter((property) => !property.retired),
    );
    return found.map(({ row, state, nearest }) => ({ row, name: state === 'alike' || state === 'renamed' ? nearest : null }));
  }

  /**
   * Corrects nearly right names in the vault's link table.
   * @returns how many
   */
  async correctTable(): Promise<number> {
    if (!(await definitionOf(this.db)).mayDefine)
      throw refused('vault-fixed', "Only the vault's administrator changes its link table. Send the list out and hand it over.");
    const rows = await this.corrections();
    // Corrects the vault's current table, not the last fetched one.
    const wanted = new Map(rows.flatMap(({ row, name }) => (name === null ? [] : [[JSON.stringify([row.field, row.kind, row.name]), name] as const])));
    const now = await this.port.table();
    const after = now.map(({ field, kind, name }) => ({ field, kind, name: wanted.get(JSON.stringify([field, kind, name])) ?? name }));
    const changed = after.filter((row, i) => row.name !== now[i]!.name).length;
    if (changed) await this.port.saveTable(after);
    await this.vault.refresh();
    return changed;
  }
}
