import { readFileSync, readdirSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { cutShapes } from '@rule/core/files/step';
import openKernel, { OpenCascadeInstance } from 'replicad-opencascadejs';
import { measure } from '../apps/server/src/geometry/measure.thread';
import { report } from './measure';

const folder = join(import.meta.dirname, '../packages/demo');
const parts = ['library/DR-15/parts', 'inherited/DR-5/models'].flatMap((below) =>
  readdirSync(join(folder, below))
    .filter((name) => !/^F5-[1-9]00|^F5-000/.test(name))
    .map((name) => new Uint8Array(readFileSync(join(folder, below, name)))),
);
const oc = await (openKernel as unknown as (options: object) => Promise<OpenCascadeInstance>)({
  wasmBinary: readFileSync(createRequire(import.meta.url).resolve('replicad-opencascadejs/wasm')),
  print: () => undefined,
  printErr: () => undefined,
});

/** Floor: the kernel reads the file and integrates volume and surface. */
function alone(bytes: Uint8Array): void {
  oc.FS.writeFile('/in.step', bytes);
  const reader = new oc.STEPControl_Reader();
  reader.ReadFile('/in.step');
  reader.TransferRoots(new oc.Message_ProgressRange());
  const shape = reader.OneShape();
  const volume = new oc.GProp_GProps();
  oc.BRepGProp.VolumeProperties(shape, volume, false, false, false);
  const area = new oc.GProp_GProps();
  oc.BRepGProp.SurfaceProperties(shape, area, false, false);
  for (const object of [volume, area, reader]) object.delete();
  oc.FS.unlink('/in.step');
}

alone(parts[0]!);
await measure(parts[0]!);
let [floor, ours] = [0, 0];
for (const bytes of parts) {
  let began = performance.now();
  alone(bytes);
  floor += performance.now() - began;
  began = performance.now();
  for (const cut of cutShapes(bytes)) await measure(cut.file);
  ours += performance.now() - began;
}
report(`Geometry of ${parts.length} parts, one after the other`, [
  { what: 'the kernel alone: file read, volume and area integrated: the floor', ms: floor },
  { what: 'cut out of the file, measured body by body, boxed, drawn', ms: ours },
]);
process.exit(0);
