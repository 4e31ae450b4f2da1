import { mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { applyEdits } from '@rule/core/files';
import { dxf } from '@rule/core/files/dxf';
import { step } from '@rule/core/files/step';
import { heldText } from '@rule/core/values';

const demo = join(import.meta.dirname, '../packages/demo/library/DR-15');
const MATERIALS = ['S235JR', '1.4301', 'DC01', 's235jr', '304 stainless', 'TBD'];
const FINISHES = ['brushed', 'Brushed', 'black oxide', '', '-'];

/** Every fifth file is a drawing. */
export const isDrawing = (n: number) => n % 5 === 4;

/**
 * Writes a library of small parts and drawings, a hundred per folder.
 * @returns bytes written
 */
export function writeLargeLibrary(root: string, files: number): number {
  const parts = readdirSync(join(demo, 'parts')).map((name) => new Uint8Array(readFileSync(join(demo, 'parts', name))));
  const sheet = new Uint8Array(readFileSync(join(demo, 'drawings/face-plate.dxf')));
  let bytes = 0;
  for (let n = 0; n < files; n++) {
    const drawing = isDrawing(n);
    const values = {
      'Part number': `P-${String(n).padStart(6, '0')}`,
      Description: `Part ${n} of the large library`,
      [n % 7 === 0 ? 'Matl' : 'Material']: MATERIALS[n % MATERIALS.length]!,
      Finish: FINISHES[n % FINISHES.length]!,
      Supplier: `Supplier ${n % 40}`,
    };
    const part = parts[n % parts.length]!;
    const changes = Object.entries(values).map(([name, text]) => ({ holder: '', place: 'property' as const, name, value: heldText(text) }));
    const made = drawing ? applyEdits(sheet, dxf.modify(sheet, changes)) : applyEdits(part, step.modify(part, changes));
    const path = join(root, `folder ${Math.floor(n / 100)}`, `P-${String(n).padStart(6, '0')}.${drawing ? 'dxf' : 'step'}`);
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, made);
    bytes += made.length;
  }
  return bytes;
}

/** A title block with one cell, placed in {@link largeDrawing}. */
const FRAME =
  '  0\nBLOCK\n  2\nFRAME\n 10\n0\n 20\n0\n  0\nLINE\n  8\n0\n 10\n0\n 20\n0\n 11\n180\n 21\n0\n  0\nATTDEF\n  8\n0\n 10\n2\n 20\n2\n 40\n5\n  1\n\n  3\nTitle\n  2\nTITLE\n 70\n0\n  0\nENDBLK\n';
const PLACED =
  '  0\nINSERT\n  8\n0\n 66\n1\n  2\nFRAME\n 10\n-200\n 20\n0\n  0\nATTRIB\n  8\n0\n 10\n-198\n 20\n2\n 40\n5\n  1\nLarge\n  2\nTITLE\n 70\n0\n  0\nSEQEND\n';

/** A drawing of about the given size: title block, lines, circles, texts and inserts. */
export function largeDrawing(bytes: number): Uint8Array {
  const parts = [
    '  0\nSECTION\n  2\nBLOCKS\n  0\nBLOCK\n  2\nBOLT\n 10\n0\n 20\n0\n  0\nCIRCLE\n  8\n0\n 10\n0\n 20\n0\n 40\n4\n  0\nENDBLK\n',
    FRAME,
    '  0\nENDSEC\n  0\nSECTION\n  2\nENTITIES\n',
    PLACED,
    '',
  ];
  let length = 0;
  for (let n = 0; length < bytes; n++) {
    const [x, y] = [(n % 300) * 10, Math.floor(n / 300) * 10];
    const more = [
      `  0\nLINE\n  8\nEDGES\n 10\n${x}.5\n 20\n${y}.25\n 11\n${x + 8}.5\n 21\n${y + 6}.75\n`,
      `  0\nCIRCLE\n  8\nEDGES\n 10\n${x}\n 20\n${y}\n 40\n3.5\n`,
      `  0\nTEXT\n  8\nNOTES\n 10\n${x}\n 20\n${y}\n 40\n2.5\n  1\nNote ${n}\n`,
      `  0\nINSERT\n  8\nBOLTS\n  2\nBOLT\n 10\n${x}\n 20\n${y}\n`,
    ][n % 4]!;
    parts.push(more);
    length += more.length;
  }
  parts.push('  0\nENDSEC\n  0\nEOF\n');
  return new TextEncoder().encode(parts.join(''));
}
