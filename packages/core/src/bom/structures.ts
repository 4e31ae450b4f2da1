import { OccurrenceReading, StructureReading } from '../files';
import { Match } from '../identity';

/** What is known of assembly files and of the part files behind their copies. */
export interface BomSources {
  /** The structure that a file's reading holds; `null` for one that places nothing, or that could not be read. */
  structure(file: number): StructureReading | null;
  /** The part file behind an assembly's copy. */
  match(assembly: number, product: string): Match;
}

/** A product in a file whose children can be asked for. */
export interface BomNode {
  readonly file: number;
  readonly product: string;
}

/** One placed instance, with what is behind it. */
export interface Placed {
  readonly assembly: number;
  readonly occurrence: string;
  readonly product: string;
  /** The name that the assembly gives the product. */
  readonly label: string;
  readonly match: Match;
  /** Where its own children are looked for; `null` where there are none. */
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
 * Product structure across files. What decides whose sub-structure counts (docs/bom.md): a child's parts are those of its part file, if
 * that file is there and places something, whatever the copy in the assembly above holds; where the part file is not known, those of
 * the copy; a part file that places nothing has no parts, even if the copy says otherwise.
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

  /** Products of a file that nothing in it contains: what a bill of materials can begin with. */
  roots(file: number): { readonly product: string; readonly label: string }[] {
    const found = this.index(file);
    return found ? found.structure.roots.map((product) => ({ product, label: found.labels.get(product) ?? product })) : [];
  }

  /** The product of a part file that a copy stands for: the root with the copy's product id, or the first one. */
  private rootFor(file: number, productId: string | undefined): BomNode | null {
    const found = this.index(file);
    if (!found) return null;
    const root = found.structure.roots.find((product) => found.ids.get(product) === productId) ?? found.structure.roots[0];
    return root !== undefined && found.children.has(root) ? { file, product: root } : null;
  }

  /** What is placed directly in something, in the file's order. */
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

  /** The id of a product, as its file says it. */
  productId = ({ file, product }: BomNode): string => this.index(file)?.ids.get(product) || product;
}
