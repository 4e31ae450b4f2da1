import { FileFacts, HeldBySlot, HolderFacts, WideLevel } from '../schema';
import { HeldValue } from '../values';
import { FillFile, FillWide } from './fill';

/** Index pairs into {@link Packed.slots} and {@link Packed.values}. */
type PackedHeld = readonly number[];

interface PackedFile {
  readonly id: number;
  readonly kind: FileFacts['kind'];
  readonly className: string | null;
  readonly state: string | null;
  readonly name: string;
  readonly folder: string;
  readonly held: PackedHeld;
  readonly geometry: FileFacts['geometry'];
  readonly sheets?: FileFacts['sheets'];
  /** Index into {@link Packed.around}. */
  readonly model: number | null;
  readonly parts: readonly (readonly [around: number, quantity: number])[];
  readonly wide: Readonly<Partial<Record<WideLevel, number>>>;
}

interface PackedHolder extends Omit<HolderFacts, 'held' | 'part'> {
  readonly held: PackedHeld;
  readonly part: number | null;
}

/** Files with context, distinct values and names stored once, for transfer to the page. */
export interface Packed {
  readonly slots: readonly string[];
  readonly values: readonly HeldValue[];
  readonly files: readonly (PackedFile & { readonly path: string; readonly lock: string | null; readonly holders: readonly PackedHolder[] })[];
  /** Models, parts and other context of files. */
  readonly around: readonly PackedFile[];
  readonly wides: readonly (Omit<FillWide, 'held'> & { readonly held: PackedHeld })[];
}

/** Packs files for transfer. */
export function packFill(files: readonly FillFile[], wides: readonly FillWide[]): Packed {
  const slots = new Map<string, number>();
  const values = new Map<string, number>();
  const listed: HeldValue[] = [];
  const slotAt = (slot: string) => {
    const at = slots.get(slot) ?? slots.size;
    slots.set(slot, at);
    return at;
  };
  const valueAt = (held: HeldValue) => {
    const key = JSON.stringify([held.text, held.form, held.unit ?? null]);
    const at = values.get(key) ?? values.size;
    if (!values.has(key)) {
      values.set(key, at);
      listed.push(held);
    }
    return at;
  };
  const heldOf = (held: HeldBySlot): number[] => [...held].flatMap(([slot, value]) => [slotAt(slot), valueAt(value)]);
  const around: PackedFile[] = [];
  const places = new Map<FileFacts, number>();
  const byId = new Map<number, number>();
  const placeOf = (facts: FileFacts): number => {
    const known = places.get(facts) ?? (facts.id > 0 ? byId.get(facts.id) : undefined);
    if (known !== undefined) return known;
    const at = around.length;
    around.push(bare(facts, {}));
    places.set(facts, at);
    if (facts.id > 0) byId.set(facts.id, at);
    return at;
  };
  const bare = (facts: FileFacts, wide: PackedFile['wide']): PackedFile => ({
    id: facts.id,
    kind: facts.kind,
    className: facts.className,
    state: facts.state,
    name: facts.name,
    folder: facts.folder,
    held: heldOf(facts.held),
    geometry: facts.geometry,
    ...(facts.sheets ? { sheets: facts.sheets } : {}),
    model: null,
    parts: [],
    wide,
  });
  return {
    files: files.map((file) => ({
      ...bare(file, file.wide),
      path: file.path,
      lock: file.lock,
      model: file.model ? placeOf(file.model) : null,
      parts: file.parts.map(({ file: part, quantity }) => [placeOf(part), quantity] as const),
      holders: file.holders.map(({ held, part, ...holder }) => ({ ...holder, held: heldOf(held), part: part ? placeOf(part) : null })),
    })),
    around,
    wides: wides.map(({ held, ...wide }) => ({ ...wide, held: [...held].flatMap(([name, value]) => [slotAt(name), valueAt(value)]) })),
    slots: [...slots.keys()],
    values: listed,
  };
}

/** Unpacks files. Context is unpacked once and shared. */
export function unpackFill({ slots, values, files, around, wides }: Packed): { readonly files: FillFile[]; readonly wides: FillWide[] } {
  const heldOf = (packed: PackedHeld): Map<string, HeldValue> => {
    const held = new Map<string, HeldValue>();
    for (let i = 0; i < packed.length; i += 2) held.set(slots[packed[i]!]!, values[packed[i + 1]!]!);
    return held;
  };
  const wideList = wides.map(({ held, ...wide }): FillWide => ({ ...wide, held: heldOf(held) }));
  const wideHeld = new Map(wideList.map((wide) => [wide.id, wide.held]));
  const above = (wide: PackedFile['wide']): FileFacts['above'] =>
    Object.fromEntries(Object.entries(wide).flatMap(([level, id]) => (wideHeld.has(id) ? [[level, wideHeld.get(id)!]] : [])));
  const bare = (file: PackedFile): FileFacts => ({
    id: file.id,
    kind: file.kind,
    className: file.className,
    state: file.state,
    name: file.name,
    folder: file.folder,
    held: heldOf(file.held),
    geometry: file.geometry,
    ...(file.sheets ? { sheets: file.sheets } : {}),
    model: null,
    parts: [],
    above: above(file.wide),
  });
  const facts = around.map(bare);
  return {
    wides: wideList,
    files: files.map((file) => ({
      ...bare(file),
      path: file.path,
      lock: file.lock,
      wide: file.wide,
      model: file.model === null ? null : facts[file.model]!,
      parts: file.parts.map(([at, quantity]) => ({ file: facts[at]!, quantity })),
      holders: file.holders.map(({ held, part, ...holder }): HolderFacts => ({ ...holder, held: heldOf(held), part: part === null ? null : facts[part]! })),
    })),
  };
}
