import { OccurrenceReading, ProductReading, StructureReading } from '../contract';
import { Keys, shortKey } from '../keys';
import { ASSEMBLY_CATEGORY } from './make';
import { StepModel, refOf, refsOf, textOf } from './model';
import { Argument } from './parse';

/** A product definition with the product behind it. */
export interface Definition {
  readonly id: number;
  readonly product: number;
  readonly formation: number;
  readonly key: string;
  /** The argument that names the part's own file, where there is an external reference. */
  readonly external: Argument | null;
}

/** An occurrence with the instance that places it. */
export interface Occurrence extends OccurrenceReading {
  readonly id: number;
}

/** Product structure with instance ids, for reading and writing. */
export interface Structure {
  readonly definitions: ReadonlyMap<number, Definition>;
  /** The definition that counts by the id of another of the same version of the same product: a view of it (its planning, its making) for which nothing is held apart. */
  readonly otherViews: ReadonlyMap<number, number>;
  readonly occurrences: readonly Occurrence[];
  /** Definitions that no occurrence places, in file order. */
  readonly roots: readonly Definition[];
  readonly reading: StructureReading;
  /** Whether a root's product says by its category that it is an assembly, be it empty. */
  readonly saysAssembly: boolean;
}

/** Products of a category, by its name in lower case. */
function ofCategory(model: StepModel, category: string): Set<number> {
  const products = new Set<number>();
  for (const id of model.idsOf('PRODUCT_RELATED_PRODUCT_CATEGORY')) {
    const args = model.args(id);
    if (textOf(args[0]).toLowerCase() === category) for (const product of refsOf(args[2])) products.add(product);
  }
  return products;
}

/** The arguments that name files by external reference, by the product definition that they describe. */
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

/** Reads which products a file holds and how they are placed in one another. */
export function readStructure(model: StepModel): Structure {
  // Products that only state what a part is made from (ISO 10303-41) are no parts.
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
