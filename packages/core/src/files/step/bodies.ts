import { Keys } from '../keys';
import { StepModel, refOf, refsOf, textOf } from './model';
import { Structure } from './structure';

/** A solid of a product, to which body values are attached. */
export interface Body {
  readonly key: string;
  readonly label: string;
  readonly solid: number;
  readonly representation: number;
  /** Product definition shape of the solid's product. */
  readonly shape: number;
  /** An existing shape aspect for the solid. */
  readonly aspect: number | undefined;
}

/** Solids of a file and the instances that attach properties to them. */
export interface Bodies {
  readonly list: readonly Body[];
  /** Body key by id of a solid, its shape aspect, or a property definition attached to it. */
  readonly keyOf: ReadonlyMap<number, string>;
  /** Shape representations by product definition. */
  readonly representations: ReadonlyMap<number, readonly number[]>;
}

const SOLIDS = new Set(['MANIFOLD_SOLID_BREP', 'BREP_WITH_VOIDS', 'FACETED_BREP']);

function listed(lists: Map<number, number[]>, key: number): number[] {
  const known = lists.get(key);
  if (known) return known;
  const list: number[] = [];
  lists.set(key, list);
  return list;
}

/**
 * Reads the solids of products that have several, or a single one with values of its own. Values are attached in one of two ways: a shape
 * aspect with a geometric item usage, or a property definition with a shape representation of that solid.
 */
export function readBodies(model: StepModel, structure: Structure): Bodies {
  const shapeOf = new Map<number, number>();
  const representations = new Map<number, number[]>();
  const tied = new Map<number, number>();
  for (const link of model.idsOf('SHAPE_DEFINITION_REPRESENTATION')) {
    const args = model.args(link);
    const definition = refOf(args[0]);
    const representation = refOf(args[1]);
    const record = definition === undefined ? undefined : model.record(definition);
    if (!record || representation === undefined) continue;
    const defined = record.name === 'PRODUCT_DEFINITION_SHAPE' ? refOf(record.args[2]) : undefined;
    const product = defined === undefined ? undefined : (structure.otherViews.get(defined) ?? defined);
    if (product !== undefined && structure.definitions.has(product)) {
      shapeOf.set(product, definition!);
      listed(representations, product).push(representation);
    } else if (record.name === 'PROPERTY_DEFINITION') {
      const items = refsOf(model.record(representation)?.args[1]);
      if (items.length === 1) tied.set(items[0]!, definition!);
    }
  }
  const related = new Map<number, number[]>();
  for (const id of model.idsOf('SHAPE_REPRESENTATION_RELATIONSHIP')) {
    const args = model.args(id);
    const a = refOf(args[2]);
    const b = refOf(args[3]);
    if (a === undefined || b === undefined) continue;
    listed(related, a).push(b);
    listed(related, b).push(a);
  }
  const aspects = new Map<number, number>();
  for (const type of ['GEOMETRIC_ITEM_SPECIFIC_USAGE', 'ITEM_IDENTIFIED_REPRESENTATION_USAGE'] as const)
    for (const id of model.idsOf(type)) {
      const args = model.args(id);
      const aspect = refOf(args[2]);
      const solid = refOf(args[4]);
      if (aspect !== undefined && solid !== undefined && !aspects.has(solid) && model.record(aspect)?.name === 'SHAPE_ASPECT') aspects.set(solid, aspect);
    }
  const list: Body[] = [];
  const keyOf = new Map<number, string>();
  for (const [product, own] of representations) {
    const all = [...new Set(own.flatMap((id) => [id, ...(related.get(id) ?? [])]))];
    representations.set(product, all);
    const solids = all.flatMap((representation) =>
      refsOf(model.record(representation)?.args[1])
        .filter((id) => SOLIDS.has(model.record(id)?.name ?? ''))
        .map((solid) => ({ solid, representation })),
    );
    const met = new Set<number>();
    const distinct = solids.filter(({ solid }) => !met.has(solid) && met.add(solid));
    if (distinct.length < 2 && !distinct.some(({ solid }) => aspects.has(solid) || tied.has(solid))) continue;
    const taken = new Set<string>();
    const keys = new Keys();
    for (const [i, { solid, representation }] of distinct.entries()) {
      const name = textOf(model.record(solid)?.args[0]);
      const label = name && !taken.has(name) ? name : `${name ? `${name}, ` : ''}body ${i + 1}`;
      taken.add(label);
      const key = keys.free(`body:${structure.definitions.get(product)!.key}/${label}`);
      list.push({ key, label, solid, representation, shape: shapeOf.get(product)!, aspect: aspects.get(solid) });
      for (const id of [solid, aspects.get(solid), tied.get(solid)]) if (id !== undefined) keyOf.set(id, key);
    }
  }
  return { list, keyOf, representations };
}
