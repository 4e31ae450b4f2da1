import { OccurrenceReading, StructureReading } from '../files';
import { Match } from '../identity';

/** Readings of assemblies and part files behind copies. */
export interface BomSources {
  /** A file's structure; `null` if it places nothing or is unreadable. */
  structure(file: number): StructureReading | null;
  /** The part file of a copy. */
  match(assembly: number, product: string): Match;
}

/** A product in a file, whose children can be listed. */
export interface BomNode {
  readonly file: number;
  readonly product: string;
}

/** A placed instance with its target. */
export interface Placed {
  readonly assembly: number;
  readonly occurrence: string;
  readonly product: string;
  /** Name in the assembly. */
  readonly label: string;
  readonly match: Match;
  /** Node with its children; `null` for none. */
  readonly below: BomNode | null;
}

export const nodeKey = ({ file, product }: BomNode): string => `${file}/${product}`;

interface Indexed {
  readonly structure: StructureReading;
  readonly children: ReadonlyMap<string, readonly OccurrenceReading[]>;
  readonly labels: ReadonlyMap<string, string>;
  readonly ids: ReadonlyMap<string, string>;
}

/**
 * Structure across files. Which sub-structure counts (docs/bom.md): a child's parts come from its part file if it exists and places
 * something; without a known part file, from the copy. A part file that places nothing has no parts, even if the copy does.
 */
export class Structures {
  private readonly indexed = new Map<number, Indexed | null>();
  private readonly placed = new Map<string, readonly Placed[]>();

  constructor(private readonly sources: BomSources) {}

  private index(file: number): Indexed | null {
    let known = this.indexed.get(file);
    if (known === undefined) {
      const structure = this.sources.structure(file);
      known = null;
      if (structure) {
        const children = new Map<string, OccurrenceReading[]>();
        for (const occurrence of structure.occurrences) {
          const list = children.get(occurrence.parent);
          if (list) list.push(occurrence);
          else children.set(occurrence.parent, [occurrence]);
        }
        known = {
          structure,
          children,
          labels: new Map(structure.products.map((product) => [product.key, product.name || product.id || product.key])),
          ids: new Map(structure.products.map((product) => [product.key, product.id])),
        };
      }
      this.indexed.set(file, known);
    }
    return known;
  }

  /** Root products of a file. */
  roots(file: number): { readonly product: string; readonly label: string }[] {
    const found = this.index(file);
    return found ? found.structure.roots.map((product) => ({ product, label: found.labels.get(product) ?? product })) : [];
  }

  /** The product a copy stands for: the root with the same id, or the first. */
  private rootFor(file: number, productId: string | undefined): BomNode | null {
    const found = this.index(file);
    if (!found) return null;
    const root = found.structure.roots.find((product) => found.ids.get(product) === productId) ?? found.structure.roots[0];
    return root !== undefined && found.children.has(root) ? { file, product: root } : null;
  }

  /** Direct children in file order. */
  children(node: BomNode): readonly Placed[] {
    const key = nodeKey(node);
    const known = this.placed.get(key);
    if (known) return known;
    const found = this.index(node.file);
    const list = (found?.children.get(node.product) ?? []).map((occurrence): Placed => {
      const match = this.sources.match(node.file, occurrence.child);
      const own: BomNode = { file: node.file, product: occurrence.child };
      return {
        assembly: node.file,
        occurrence: occurrence.key,
        product: occurrence.child,
        label: found!.labels.get(occurrence.child) ?? occurrence.child,
        match,
        below: match.state === 'matched' ? this.rootFor(match.file, found!.ids.get(occurrence.child)) : found!.children.has(occurrence.child) ? own : null,
      };
    });
    this.placed.set(key, list);
    return list;
  }

  /** A product's id in its file. */
  productId = ({ file, product }: BomNode): string => this.index(file)?.ids.get(product) || product;
}
