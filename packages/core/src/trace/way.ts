import { count } from '../words';
import { NameLikeness, Property, compareNames } from '../schema';
import { TableFinding } from '../vault';

/** A station on a value's way, and whether the way continues. */
export interface Hop {
  readonly state: 'good' | 'broken' | 'note';
  readonly title: string;
  readonly detail: string;
  /** The exact mismatch, if the way breaks. */
  readonly why: string | null;
  readonly station: 'schema' | 'forms' | 'survey' | 'values' | 'title-blocks' | 'bom' | 'vault' | 'exchange';
}

/** Facts about a property across the company. */
export interface PropertyWay {
  readonly property: Property;
  /** By kind: files it applies to, and those with a value. */
  readonly held: readonly { readonly kind: string; readonly files: number; readonly filled: number }[];
  /** Similar written names in files. */
  readonly foundNames: readonly { readonly name: string; readonly files: number }[];
  /** Forms that ask for it. */
  readonly forms: readonly string[];
  readonly cells: readonly { readonly block: string; readonly tag: string; readonly source: string; readonly drawings: number; readonly stale: number }[];
  readonly columns: readonly string[];
  /** Exchange layouts with it. */
  readonly tables: readonly string[];
  readonly links: readonly {
    readonly field: string;
    readonly files: string;
    readonly in: string;
    readonly out: string;
    readonly step: string | null;
    /** Records of those files, and those with a value. */
    readonly records: number;
    readonly filled: number;
  }[];
  readonly vaultTable: readonly TableFinding[];
  readonly sentOut: readonly { readonly id: number; readonly at: string }[];
}

/** Cell sources in words; others have their own names. */
const SOURCE_WORDS: Readonly<Record<string, string>> = { model: 'the model that the sheet shows', drawing: 'the drawing itself', sheet: 'the sheet itself' };

const files = (n: number) => count(n, 'file');

/** A property's way through the company: definition, files, cells, columns, record fields. */
export function wayOf(way: PropertyWay): Hop[] {
  const { property } = way;
  const name = JSON.stringify(property.writtenName);
  const hops: Hop[] = [
    {
      state: property.retired ? 'note' : 'good',
      title: property.retired ? 'Retired from the schema' : 'Defined in the schema',
      detail: `${property.type}${property.unit ? `, ${property.unit}` : ''}${property.required ? ', required' : ''}`,
      why: null,
      station: 'schema',
    },
  ];
  for (const { kind, files: reached, filled } of way.held)
    hops.push({
      state: filled === 0 && reached > 0 ? 'broken' : 'good',
      title: `${kind[0]!.toUpperCase()}${kind.slice(1)} files`,
      detail: `document property, ${filled} of ${reached} filled`,
      why: filled === 0 && reached > 0 ? `No ${kind} holds ${name}.` : null,
      station: 'values',
    });
  for (const found of way.foundNames) {
    const likeness: NameLikeness = compareNames(found.name, property.writtenName);
    if (likeness === 'same' || likeness === 'different') continue;
    hops.push({
      state: 'broken',
      title: 'Found under another name',
      detail: `${JSON.stringify(found.name)} in ${files(found.files)}`,
      why: `It differs from ${name} in ${likeness}; programs that compare exactly do not find it.`,
      station: 'survey',
    });
  }
  for (const form of way.forms) hops.push({ state: 'good', title: 'Asked for', detail: `entry form ${form}`, why: null, station: 'forms' });
  for (const cell of way.cells)
    hops.push({
      state: cell.stale > 0 ? 'broken' : 'good',
      title: `Title block ${cell.block}, cell ${cell.tag}`,
      detail: `from ${SOURCE_WORDS[cell.source] ?? `the ${cell.source}`}, ${count(cell.drawings, 'drawing')}`,
      why: cell.stale > 0 ? `${count(cell.stale, 'cell shows', 'cells show')} a text that differs from the property.` : null,
      station: 'title-blocks',
    });
  for (const layout of way.columns) hops.push({ state: 'good', title: 'BOM column', detail: `layout ${layout}`, why: null, station: 'bom' });
  for (const table of way.tables) hops.push({ state: 'good', title: 'Column of a table', detail: `exchange layout ${table}`, why: null, station: 'exchange' });
  for (const link of way.links)
    hops.push({
      state: 'good',
      title: `Record field ${link.field}`,
      detail: `${link.files}: ${link.step === null ? `in ${link.in}, out ${link.out}` : `set by the step ${link.step}`}; filled in ${link.filled} of ${count(link.records, 'record')}`,
      why: null,
      station: 'vault',
    });
  for (const finding of way.vaultTable)
    if (finding.state === 'alike' || finding.state === 'renamed')
      hops.push({
        state: 'broken',
        title: "The vault's own link table",
        detail: `${finding.row.field}, ${finding.row.kind}`,
        why: `The vault ${finding.message}.`,
        station: 'vault',
      });
  for (const sent of way.sentOut) hops.push({ state: 'note', title: 'Sent out', detail: `send-out ${sent.id}, ${sent.at}`, why: null, station: 'exchange' });
  return hops;
}
