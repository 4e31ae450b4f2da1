import { ProductReading, baseName, fileName } from '../files';

/** A STEP file as a candidate for a product's part file or a drawing's model. */
export interface Candidate {
  readonly file: number;
  readonly path: string;
  /** Id of the first product. */
  readonly productId: string;
  /** Keys of further independent products, which are variants. */
  readonly variants?: readonly string[];
}

/** The holder of a variant's values. */
export const variantHolder = (product: string): string => `variant:${product}`;
/** The product of such a holder. */
export const variantProduct = (holder: string): string => holder.slice(variantHolder('').length);

/** How the match was found. */
export type MatchedBy = 'product id' | 'file name' | 'external reference' | 'document property' | 'base name' | 'settled';

/** The matched file, and the holder of the variant meant in it unless it is the first. Several candidates make it *ambiguous*. */
export type Match =
  | { readonly state: 'matched'; readonly file: number; readonly by: MatchedBy; readonly variant?: string }
  | { readonly state: 'ambiguous'; readonly candidates: readonly number[]; readonly by: MatchedBy }
  | { readonly state: 'unmatched' };

function judge(found: readonly Candidate[], by: MatchedBy): Match | undefined {
  if (found.length === 0) return undefined;
  return found.length === 1 ? { state: 'matched', file: found[0]!.file, by } : { state: 'ambiguous', candidates: found.map((candidate) => candidate.file), by };
}

/** Indexes candidates by product id, base name and file name. */
export class CandidateIndex {
  private readonly byProductId = new Map<string, Candidate[]>();
  private readonly byVariant = new Map<string, Candidate[]>();
  private readonly byFile = new Map<number, Candidate>();
  private readonly byBaseName = new Map<string, Candidate[]>();
  private readonly byFileName = new Map<string, Candidate[]>();

  constructor(candidates: readonly Candidate[]) {
    const add = (map: Map<string, Candidate[]>, key: string, candidate: Candidate) => {
      if (key !== '') map.set(key, [...(map.get(key) ?? []), candidate]);
    };
    for (const candidate of candidates) {
      add(this.byProductId, candidate.productId, candidate);
      for (const variant of candidate.variants ?? []) add(this.byVariant, variant, candidate);
      this.byFile.set(candidate.file, candidate);
      add(this.byBaseName, baseName(candidate.path), candidate);
      add(this.byFileName, fileName(candidate.path), candidate);
    }
  }

  /**
   * The part file of a copy in an assembly: by equal product id, first of the files' first products and then of their variants, then by base
   * name equal to product id or name, then by external reference.
   * @param assembly the assembly file, never its own part
   */
  partFile(product: ProductReading, assembly: number): Match {
    const others = (list: readonly Candidate[] | undefined) => (list ?? []).filter((candidate) => candidate.file !== assembly);
    const named = new Set([...others(this.byBaseName.get(product.id)), ...others(this.byBaseName.get(product.name))]);
    const external = product.externalFile === null ? [] : others(this.byFileName.get(fileName(product.externalFile)));
    return this.withVariant(
      judge(others(this.byProductId.get(product.id)), 'product id') ??
        judge(others(this.byVariant.get(product.id)), 'product id') ??
        judge([...named], 'file name') ??
        judge(external, 'external reference') ?? { state: 'unmatched' },
      product.id,
    );
  }

  /** Names the variant of the matched file that has the id of a product. */
  withVariant(match: Match, productId: string): Match {
    if (match.state !== 'matched') return match;
    const candidate = this.byFile.get(match.file);
    return candidate?.productId !== productId && candidate?.variants?.includes(productId) ? { ...match, variant: variantHolder(productId) } : match;
  }

  /**
   * The model of a drawing: the file named by its document property (path end or base name), otherwise the file with the drawing's base
   * name. A property naming a missing file is not overruled.
   */
  model(drawingPath: string, named: string | null): Match {
    if (named !== null && named.trim() !== '') {
      const wanted = named.trim().replaceAll('\\', '/');
      const byName = this.byFileName.get(fileName(wanted)) ?? this.byBaseName.get(fileName(wanted)) ?? [];
      const exact = byName.filter((candidate) => candidate.path === wanted || candidate.path.endsWith(`/${wanted}`));
      return judge(wanted.includes('/') ? exact : byName, 'document property') ?? { state: 'unmatched' };
    }
    return judge(this.byBaseName.get(baseName(drawingPath)) ?? [], 'base name') ?? { state: 'unmatched' };
  }
}
