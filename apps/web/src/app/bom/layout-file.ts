import { BomLayoutDraft } from '@rule/contract';
import { BomContent, plainContent } from '@rule/core/bom';

type Named = { readonly id: number; readonly writtenName: string };

/** A layout as a file; it names properties, as their numbers differ between companies. */
export function layoutFile({ name, purpose, content }: Pick<BomLayoutDraft, 'name' | 'purpose' | 'content'>, properties: readonly Named[]): string {
  const names = Object.fromEntries(properties.map((property) => [property.id, property.writtenName]));
  return `${JSON.stringify({ rule: 1, bomLayout: { name, purpose, content, properties: names } }, null, 2)}\n`;
}

/**
 * Reads such a file.
 * @returns the layout, and the properties that the schema does not have
 * @throws Error if it is none
 */
export function readLayoutFile(text: string, properties: readonly Named[]): { name: string; purpose: string; content: BomContent; lost: readonly string[] } {
  const { bomLayout } = JSON.parse(text) as { bomLayout?: { name: string; purpose: string; content: BomContent; properties: Record<string, string> } };
  if (!bomLayout?.content) throw new Error('The file holds no layout.');
  return { name: bomLayout.name, purpose: bomLayout.purpose, ...withNumbersOf(bomLayout.content, bomLayout.properties, properties) };
}

/** Maps an imported layout to this schema's property numbers by written name; unknown properties are dropped. */
export function withNumbersOf(
  content: BomContent,
  names: Readonly<Record<string, string>>,
  properties: readonly Named[],
): { readonly content: BomContent; readonly lost: readonly string[] } {
  const own = new Map(properties.map((property) => [property.writtenName, property.id]));
  const lost = new Set<string>();
  const numberOf = (id: number): number[] => {
    const name = names[id] ?? `property ${id}`;
    const found = own.get(name);
    if (found === undefined) lost.add(name);
    return found === undefined ? [] : [found];
  };
  const plain = plainContent([]);
  type Of = BomContent['columns'][number]['of'];
  const of = (what: Of): Of[] => ('fact' in what ? [what] : numberOf(what.property).map((property) => ({ property })));
  return {
    content: {
      ...plain,
      ...content,
      key: content.key.flatMap(numberOf),
      columns: content.columns.flatMap((column) => of(column.of).map((shown) => ({ ...column, of: shown }))),
      sort: content.sort.flatMap((entry) => of(entry.of).map((shown) => ({ ...entry, of: shown }))),
      drawn: content.drawn ? { ...content.drawn, cells: content.drawn.cells.flatMap((cell) => of(cell.of).map((shown) => ({ ...cell, of: shown }))) } : null,
      group: content.group === null ? null : (of(content.group)[0] ?? null),
      // Classes are not portable between companies.
      classes: [],
    },
    lost: [...lost],
  };
}
