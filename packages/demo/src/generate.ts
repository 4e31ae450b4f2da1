import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { FileChange, applyEdits, formatOf } from '@rule/core/files';
import { HeldValue, heldText } from '@rule/core/values';
import { AnyShape } from 'replicad';
import { DRAWINGS } from './drawings';
import { Kernel, Placement } from './kernel';
import { ASSEMBLIES, LOOSE, PARTS } from './parts';
import { writeSheet } from './sheet';

const UNIT_OF: Readonly<Record<string, string>> = { Mass: 'kg', 'Tightening torque': 'N·m', 'Lubrication interval': 'h' };

const held = (name: string, value: string | number | boolean): HeldValue => {
  if (typeof value === 'boolean') return { text: value ? 'yes' : 'no', form: 'boolean' };
  if (typeof value === 'number') return { text: String(value), form: 'measure', unit: UNIT_OF[name]! };
  return heldText(value);
};

const changes = (holder: string, values: Readonly<Record<string, string | number | boolean>>): FileChange[] =>
  Object.entries(values).map(([name, value]) => ({ holder, place: 'property', name, value: held(name, value) }));

/** Generates the library of the demo company into `packages/demo/library`. */
async function generate(): Promise<void> {
  const library = join(dirname(fileURLToPath(import.meta.url)), '..', 'library');
  rmSync(library, { recursive: true, force: true });
  const put = (path: string, bytes: Uint8Array) => {
    const target = join(library, path);
    mkdirSync(dirname(target), { recursive: true });
    writeFileSync(target, bytes);
    console.log(`${path}  ${bytes.length} bytes`);
  };
  const withValues = (path: string, bytes: Uint8Array, list: readonly FileChange[]) => applyEdits(bytes, formatOf(path)!.modify(bytes, list));

  const kernel = await Kernel.open();
  const solids = new Map<string, AnyShape>([[LOOSE.id, LOOSE.solid()]]);
  for (const part of PARTS) {
    const solid = part.solid();
    solids.set(part.id, solid);
    const mass = Math.round(kernel.volume(solid) * part.density * 1e-3) / 1000;
    const bytes = named(kernel.write(part.id, new Map([[part.id, solid]]), new Map(), part.drawnBy), new Map([[part.id, part.name]]));
    put(part.path, withValues(part.path, bytes, changes('', { ...part.values, Mass: mass })));
  }
  const names = new Map([...PARTS, ...ASSEMBLIES].map(({ id, name }) => [id, name]));
  const trees = new Map<string, readonly Placement[]>(ASSEMBLIES.map(({ id, placements }) => [id, placements]));
  for (const assembly of ASSEMBLIES) {
    const bytes = named(kernel.write(assembly.id, solids, trees, 'E. Varga'), names);
    const occurrences = formatOf(assembly.path)!.read(bytes).structure!.occurrences;
    const list = [
      ...changes('', assembly.values),
      ...Object.entries(assembly.copyValues).flatMap(([id, values]) => changes(`copy:${id}`, values)),
      ...Object.entries(assembly.occurrenceValues).flatMap(([label, values]) => changes(occurrences.find((o) => o.label === label)!.key, values)),
    ];
    put(assembly.path, withValues(assembly.path, bytes, list));
  }
  for (const { path, ...sheet } of DRAWINGS) put(path, writeSheet(sheet));
}

/** Gives products their names beside their ids: the kernel writes one text for both. */
function named(bytes: Uint8Array, names: ReadonlyMap<string, string>): Uint8Array {
  const step = formatOf('a.step')!;
  const reading = step.read(bytes);
  const list = reading.holders.flatMap((holder): FileChange[] => {
    const id = holder.values.find((value) => value.name === 'product id')?.held.text ?? '';
    const name = names.get(id);
    return name === undefined ? [] : [{ holder: holder.key, place: 'field', name: 'product name', value: heldText(name) }];
  });
  return applyEdits(bytes, step.modify(bytes, list));
}

await generate();
