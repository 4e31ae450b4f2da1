import { OccurrenceReading, ProductReading, StructureReading } from '../contract';
import { Keys, shortKey } from '../keys';
import { ASSEMBLY_CATEGORY } from './make';
import { StepModel, refOf, refsOf, textOf } from './model';
import { Argument } from './parse';

/** A product definition and its product. */
export interface Definition {
  readonly id: number;
  readonly product: number;
  readonly formation: number;
  readonly key: string;
  /** The argument naming the part's file, for external references. */
  readonly external: Argument | null;
}

/** An occurrence and the instance that places it. */
export interface Occurrence extends OccurrenceReading {
  readonly id: number;
}

/** Product structure with instance ids. */
export interface Structure {
  readonly definitions: ReadonlyMap<number, Definition>;
  /** The definition that represents another definition of the same product version, such as its planning view. */
  readonly otherViews: ReadonlyMap<number, number>;
  readonly occurrences: readonly Occurrence[];
  /** Definitions without occurrences, in file order. */
  readonly roots: readonly Definition[];
  readonly reading: StructureReading;
  /** Whether a root is an assembly by product category, even if empty. */
  readonly saysAssembly: boolean;
}

/** Products by category name in lower case. */
function ofCategory(model: StepModel, category: string): Set<number> {
  const products = new Set<number>();
  for (const id of model.idsOf('PRODUCT_RELATED_PRODUCT_CATEGORY')) {
    const args = model.args(id);
    if (textOf(args[0]).toLowerCase() === category) for (const product of refsOf(args[2])) products.add(product);
  }
  return products;
}

/** Arguments of external file references, by product definition. */
function externalFiles(model: StepModel): Map<number, Argument> {
  const files = new Map<number, Argument>();
  const nameOfDocument = new Map<number, Argument>();
  for (const id of model.idsOf('APPLIED_EXTERNAL_IDENTIFICATION_ASSIGNMENT')) {
    const args = model.args(id);
    if (args[0]) for (const item of refsOf(args[3])) nameOfDocument.set(item, args[0]);
  }
  for (const id of model.idsOf('APPLIED_DOCUMENT_REFERENCE')) {
    const args = model.args(id);
    const document = refOf(args[0]);
    if (document === undefined) continue;
    const name = nameOfDocument.get(document) ?? model.record(document)?.args[0];
    if (name && textOf(name)) for (const item of refsOf(args[2])) files.set(item, name);
  }
  return files;
}

/** Reads products and their placements. */
export function readStructure(model: StepModel): Structure {
  // Products that are only raw materials (ISO 10303-41) are not parts.
  const raw = ofCategory(model, 'raw material');
  const external = externalFiles(model);
  const definitions = new Map<number, Definition>();
  const products: ProductReading[] = [];
  const productKeys = new Keys();
  const otherViews = new Map<number, number>();
  const viewOf = new Map<number, number>();
  for (const id of [...model.idsOf('PRODUCT_DEFINITION'), ...model.idsOf('PRODUCT_DEFINITION_WITH_ASSOCIATED_DOCUMENTS')]) {
    const formation = refOf(model.record(id)?.args[2]);
    const product = formation === undefined ? undefined : refOf(model.record(formation)?.args[2]);
    const args = product === undefined ? undefined : model.record(product)?.args;
    if (formation === undefined || product === undefined || !args || raw.has(product)) continue;
    const first = viewOf.get(formation);
    if (first !== undefined) {
      otherViews.set(id, first);
      continue;
    }
    viewOf.set(formation, id);
    const key = productKeys.free(textOf(args[0]) || textOf(args[1]) || `#${product}`);
    definitions.set(id, { id, product, formation, key, external: external.get(id) ?? null });
    products.push({ key, id: shortKey(textOf(args[0])), name: shortKey(textOf(args[1])), externalFile: external.has(id) ? textOf(external.get(id)) : null });
  }

  const occurrences: Occurrence[] = [];
  const occurrenceKeys = new Keys();
  const definitionOf = (id = -1) => definitions.get(otherViews.get(id) ?? id);
  const placed = new Set<number>();
  for (const id of model.idsOf('NEXT_ASSEMBLY_USAGE_OCCURRENCE')) {
    const args = model.args(id);
    const parent = definitionOf(refOf(args[3]));
    const child = definitionOf(refOf(args[4]));
    if (!parent || !child) continue;
    placed.add(child.id);
    const label = textOf(args[1]) || textOf(args[0]) || child.key;
    occurrences.push({
      id,
      key: occurrenceKeys.free(`occurrence:${parent.key}/${textOf(args[0]) || label}`),
      label,
      parent: parent.key,
      child: child.key,
    });
  }
  const assemblies = ofCategory(model, ASSEMBLY_CATEGORY);
  const roots = [...definitions.values()].filter((definition) => !placed.has(definition.id));
  return {
    definitions,
    otherViews,
    occurrences,
    roots,
    saysAssembly: roots.some((root) => assemblies.has(root.product)),
    reading: {
      products,
      occurrences: occurrences.map(({ key, label, parent, child }) => ({ key, label, parent, child })),
      roots: roots.map((root) => root.key),
    },
  };
}
