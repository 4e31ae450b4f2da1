import { openStep } from './read';
import { StepModel, refOf } from './model';
import { eachReference } from './scan';

/** Geometry of one product, extracted from its file. */
export interface CutShape {
  /** Product key in the structure; `''` for the complete assembly. */
  readonly product: string;
  /** A STEP file with only this product's geometry. */
  readonly file: Uint8Array;
  /** The bytes the geometry depends on; unaffected by property changes. */
  readonly essence: Uint8Array;
  readonly bodies: readonly string[];
}

/** Instances reachable from the given ones, inclusive, except those `stop` refuses. */
function closure(
  model: StepModel,
  references: ReadonlyMap<number, readonly number[]>,
  from: readonly number[],
  stop: (id: number) => boolean = () => false,
): Set<number> {
  const reached = new Set<number>();
  const open = [...from];
  for (let id = open.pop(); id !== undefined; id = open.pop()) {
    if (reached.has(id) || model.index.position(id) === undefined || stop(id)) continue;
    reached.add(id);
    open.push(...(references.get(id) ?? []));
  }
  return reached;
}

/** Text of instances in file order. */
function textOf(model: StepModel, ids: ReadonlySet<number>): Uint8Array {
  const positions = [...ids].map((id) => model.index.position(id)!).sort((a, b) => a - b);
  const { bytes, index } = model;
  const size = positions.reduce((sum, p) => sum + index.ends[p]! - index.starts[p]! + 1, 0);
  const out = new Uint8Array(size);
  let to = 0;
  for (const p of positions) {
    out.set(bytes.subarray(index.starts[p], index.ends[p]), to);
    to += index.ends[p]! - index.starts[p]!;
    out[to++] = 10;
  }
  return out;
}

const encoder = new TextEncoder();

function fileOf(model: StepModel, ids: ReadonlySet<number>): Uint8Array {
  const { bytes, index } = model;
  const head = bytes.subarray(0, index.starts[0] ?? 0);
  const body = textOf(model, ids);
  const tail = encoder.encode('ENDSEC;\nEND-ISO-10303-21;\n');
  const out = new Uint8Array(head.length + body.length + tail.length);
  out.set(head);
  out.set(body, head.length);
  out.set(tail, head.length + body.length);
  return out;
}

/**
 * Extracts the geometry of each product that has solids, so each distinct part is processed once regardless of its placements. The complete
 * assembly comes last.
 * @throws FileError if the file is broken
 */
export function cutShapes(bytes: Uint8Array): CutShape[] {
  const { model, structure, bodies } = openStep(bytes);
  const references = new Map<number, number[]>();
  eachReference(model.index, (referrer, referred) => {
    const list = references.get(referrer);
    if (list) list.push(referred);
    else references.set(referrer, [referred]);
  });
  const links = new Map<number, number[]>();
  for (const link of model.idsOf('SHAPE_DEFINITION_REPRESENTATION')) {
    const shape = refOf(model.record(link)?.args[0]);
    const product = shape === undefined ? undefined : refOf(model.record(shape)?.args[2]);
    if (product !== undefined) links.set(product, [...(links.get(product) ?? []), link]);
  }
  const relations = model.idsOf('SHAPE_REPRESENTATION_RELATIONSHIP');
  const cuts: CutShape[] = [];
  const essences: Uint8Array[] = [];
  for (const { id, key } of structure.definitions.values()) {
    const own = links.get(id) ?? [];
    const representations = new Set(bodies.representations.get(id) ?? []);
    const essence = closure(model, references, [...representations]);
    const hasGeometry = [...essence].some((instance) => SOLID.has(model.record(instance)?.name ?? ''));
    if (own.length === 0 || !hasGeometry) continue;
    const joining = relations.filter((relation) => (model.record(relation)?.args ?? []).slice(2).every((arg) => representations.has(refOf(arg) ?? -1)));
    const all = closure(model, references, [...own, ...joining]);
    for (const instance of essence) all.add(instance);
    const text = textOf(model, essence);
    essences.push(text);
    cuts.push({
      product: key,
      file: fileOf(model, all),
      essence: text,
      bodies: bodies.list.filter((body) => body.key.startsWith(`body:${key}/`)).map((body) => body.key),
    });
  }
  if (structure.occurrences.length > 0) {
    // Placements without geometry.
    const placing = model.idsOf('CONTEXT_DEPENDENT_SHAPE_REPRESENTATION');
    const placed = closure(model, references, placing, (instance) => (model.record(instance)?.name ?? '').endsWith('SHAPE_REPRESENTATION'));
    const parts = [...essences, textOf(model, placed)];
    const essence = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
    let to = 0;
    for (const part of parts) {
      essence.set(part, to);
      to += part.length;
    }
    cuts.push({ product: '', file: bytes, essence, bodies: [] });
  }
  return cuts;
}

/** Entities that make a representation measurable. */
const SOLID = new Set(['MANIFOLD_SOLID_BREP', 'BREP_WITH_VOIDS', 'FACETED_BREP', 'SHELL_BASED_SURFACE_MODEL']);
