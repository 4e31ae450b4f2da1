import { Binding, CellPiece, Link, LinkEnd } from './mapping';
import { Property } from './property';

type Named = Pick<Property, 'id' | 'writtenName'>;
type Known = Pick<Property, 'id' | 'writtenName' | 'knownSpellings'>;

type PieceDocument =
  Exclude<CellPiece, { readonly property: number }> | (Omit<Extract<CellPiece, { readonly property: number }>, 'property'> & { readonly property: string });

/** A binding for transfer; properties by written name. */
export interface BindingDocument extends Omit<Binding, 'id' | 'shows'> {
  readonly shows: readonly PieceDocument[];
}

/** A link for transfer. */
export interface LinkDocument extends Omit<Link, 'id' | 'at'> {
  readonly at: readonly LinkEndDocument[];
}

type LinkEndDocument = { readonly property: string; readonly of?: 'model' } | Extract<LinkEnd, { readonly name: string }>;

/** Exports bindings and links. Those of unknown properties are left out. */
export function mappingDocument(
  properties: readonly Named[],
  bindings: readonly Binding[],
  links: readonly Link[],
): { readonly bindings: BindingDocument[]; readonly links: LinkDocument[] } {
  const names = new Map(properties.map((property) => [property.id, property.writtenName]));
  return {
    bindings: bindings.flatMap(({ id: _, shows, ...binding }): BindingDocument[] => {
      const pieces = shows.flatMap((piece): PieceDocument[] => {
        if (!('property' in piece)) return [piece];
        const property = names.get(piece.property);
        return property === undefined ? [] : [{ ...piece, property }];
      });
      return pieces.length === shows.length ? [{ ...binding, shows: pieces }] : [];
    }),
    links: links.flatMap(({ id: _, at, ...link }): LinkDocument[] => {
      const ends = at.flatMap((end): LinkEndDocument[] => {
        if (!('property' in end)) return [end];
        const property = names.get(end.property);
        return property === undefined ? [] : [{ ...end, property }];
      });
      return ends.length === at.length ? [{ ...link, at: ends }] : [];
    }),
  };
}

/** Imports bindings and links by written name or known spelling; unknown names are reported. */
export function readMappingDocument(
  properties: readonly Known[],
  document: { readonly bindings: readonly BindingDocument[]; readonly links: readonly LinkDocument[] },
): { readonly bindings: Omit<Binding, 'id'>[]; readonly links: Omit<Link, 'id'>[]; readonly unknown: string[] } {
  const ids = new Map<string, number>();
  for (const property of properties) for (const spelling of property.knownSpellings) ids.set(spelling, property.id);
  for (const property of properties) ids.set(property.writtenName, property.id);
  const unknown: string[] = [];
  const idOf = (name: string): number | undefined => {
    const id = ids.get(name);
    if (id === undefined) unknown.push(name);
    return id;
  };
  return {
    bindings: document.bindings.flatMap(({ shows, ...binding }): Omit<Binding, 'id'>[] => {
      const pieces = shows.flatMap((piece): CellPiece[] => {
        if (!('property' in piece)) return [piece];
        const property = idOf(piece.property);
        return property === undefined ? [] : [{ ...piece, property }];
      });
      return pieces.length === shows.length ? [{ ...binding, shows: pieces }] : [];
    }),
    links: document.links.flatMap(({ at, ...link }): Omit<Link, 'id'>[] => {
      const ends = at.flatMap((end): LinkEnd[] => {
        if (!('property' in end)) return [end];
        const property = idOf(end.property);
        return property === undefined ? [] : [{ ...end, property }];
      });
      return ends.length === at.length ? [{ ...link, at: ends }] : [];
    }),
    unknown,
  };
}
