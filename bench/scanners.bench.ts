import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { applyEdits } from '@rule/core/files';
import { dxf, scanDxf } from '@rule/core/files/dxf';
import { scanStep, step } from '@rule/core/files/step';
import { heldText } from '@rule/core/values';
import { best, report } from './measure';

const library = join(import.meta.dirname, '../packages/demo/library');
const folder = mkdtempSync(join(tmpdir(), 'rule-bench-'));

/** A STEP data section repeated with renumbered instances, like a large assembly. */
function largeStep(megabytes: number): Buffer {
  const text = readFileSync(join(library, 'DR-15/assemblies/roaster.step'), 'latin1');
  const data = text.indexOf('DATA;') + 6;
  const end = text.lastIndexOf('ENDSEC;');
  const parts = [text.slice(0, end)];
  const shapes = text.slice(data, end).replace(/^#\d+ ?= ?(PRODUCT|NEXT_ASSEMBLY|PROPERTY|GENERAL|APPLICATION|CONTEXT_DEP|\()[\s\S]*?;$/gm, '');
  for (let copy = 1, size = text.length; size < megabytes * 1e6; copy++, size += shapes.length)
    parts.push(shapes.replace(/#(\d+)/g, (_, id: string) => `#${Number(id) + copy * 100_000}`));
  return Buffer.from([...parts, text.slice(end)].join(''), 'latin1');
}

function largeDxf(megabytes: number): Buffer {
  const text = readFileSync(join(library, 'DR-15/drawings/face-plate.dxf'), 'utf8');
  const at = text.lastIndexOf('  0\r\nENDSEC\r\n  0\r\nSECTION\r\n  2\r\nOBJECTS');
  const line = (n: number) =>
    `  0\r\nLINE\r\n  5\r\n${(0x10000 + n).toString(16).toUpperCase()}\r\n330\r\n1F\r\n100\r\nAcDbEntity\r\n  8\r\nVIEW\r\n100\r\nAcDbLine\r\n 10\r\n${n}.25\r\n 20\r\n0.0\r\n 30\r\n0.0\r\n 11\r\n${n}.75\r\n 21\r\n100.0\r\n 31\r\n0.0\r\n`;
  const lines: string[] = [];
  for (let n = 0, size = 0; size < megabytes * 1e6; n++) size += lines[lines.push(line(n)) - 1]!.length;
  return Buffer.from(text.slice(0, at) + lines.join('') + text.slice(at), 'utf8');
}

async function compare(
  name: string,
  bytes: Buffer,
  scan: (b: Uint8Array) => unknown,
  read: (b: Uint8Array) => unknown,
  write: (b: Uint8Array) => unknown,
): Promise<void> {
  const path = join(folder, name);
  writeFileSync(path, bytes);
  report(
    `${name}, ${(bytes.length / 1e6).toFixed(0)} MB`,
    [
      await best('reading and hashing the bytes (SHA-256): the floor', 5, () => createHash('sha256').update(readFileSync(path)).digest('hex')),
      await best('index of all spans', 5, () => scan(bytes)),
      await best('reading: structure, values, cells', 5, () => read(bytes)),
      await best('writing one value: index, edits, new bytes', 5, () => write(bytes)),
    ],
    bytes.length / 1e6,
  );
}

const change = [{ holder: '', place: 'property' as const, name: 'Description', value: heldText('changed') }];
await compare(
  'STEP',
  largeStep(40),
  (b) => scanStep(b, ['PRODUCT']),
  (b) => step.read(b),
  (b) => applyEdits(b, step.modify(b, change)),
);
await compare(
  'DXF',
  largeDxf(40),
  scanDxf,
  (b) => dxf.read(b),
  (b) => applyEdits(b, dxf.modify(b, change)),
);
rmSync(folder, { recursive: true });
