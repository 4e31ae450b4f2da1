import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { textsOnSheet } from '../src/drawing';
import { applyEdits, formatOf, invertEdits } from '../src/files';
import { dxf } from '../src/files/dxf';
import { step } from '../src/files/step';
import { heldText } from '../src/values';
import { foreignFiles, foreignFolder, openMeshReader } from './outside';

/** Independent programs verify what Rule writes. */
const library = join(import.meta.dirname, '../../demo');
const paths = ['library', 'inherited'].flatMap((below) =>
  readdirSync(join(library, below), { recursive: true, encoding: 'utf8' })
    .filter((path) => /\.(step|stp|dxf)$/.test(path))
    .map((path) => `${below}/${path}`)
    .sort(),
);
const read = (path: string) => new Uint8Array(readFileSync(join(library, path)));

let meshes: (bytes: Uint8Array) => number[][];
beforeAll(async () => {
  meshes = await openMeshReader();
});

const CHANGES = [
  { holder: '', place: 'property' as const, name: 'Description', value: heldText("Plate Ω ⌀12 'left'") },
  { holder: '', place: 'property' as const, name: 'Mass', value: { text: '1.25', form: 'measure' as const, unit: 'lb' } },
  { holder: '', place: 'property' as const, name: 'Spare', value: { text: 'yes', form: 'boolean' as const } },
  { holder: '', place: 'property' as const, name: 'Revision', value: null },
];

describe('STEP', () => {
  it.each(paths.filter((path) => /\.(step|stp)$/.test(path)))('the demo file %s keeps its geometry', (path) => {
    const before = read(path);
    const edits = step.modify(before, CHANGES);
    const after = applyEdits(before, edits);
    const wanted = meshes(before);
    expect(wanted.length).toBeGreaterThan(0);
    expect(meshes(after)).toEqual(wanted);
    expect(Buffer.compare(applyEdits(after, invertEdits(before, edits)), before)).toBe(0);
  });

  it.each(foreignFiles)('the foreign file %s is read, edited, read alike by the geometry reader, and undone', (name) => {
    const before = new Uint8Array(readFileSync(join(foreignFolder, name)));
    const reading = step.read(before);
    expect(reading.structure!.products.length).toBeGreaterThan(0);
    const edits = step.modify(before, CHANGES);
    const after = applyEdits(before, edits);
    const held = Object.fromEntries(
      step
        .read(after)
        .holders.find((h) => h.key === '')!
        .values.filter((v) => v.place === 'property')
        .map((v) => [v.name, v.held.text]),
    );
    expect(held).toMatchObject({ Description: CHANGES[0]!.value!.text, Mass: '1.25', Spare: 'yes' });
    expect(meshes(after)).toEqual(meshes(before));
    expect(Buffer.compare(applyEdits(after, invertEdits(before, edits)), before)).toBe(0);
  });

  it('counts the parts of the public assembly test case as1', () => {
    // Test case "as1" of the public STEP interoperability rounds: 1 plate, 2 bracket assemblies of 1 bracket and 3 bolts with nuts, 1 rod
    // assembly of 1 rod and 2 nuts, 18 solids (counted in the geometry reader's tree).
    const reading = step.read(new Uint8Array(readFileSync(join(foreignFolder, 'as1-oc-214.stp'))));
    const { occurrences, roots } = reading.structure!;
    const solids = (product: string): number => {
      const inside = occurrences.filter((o) => o.parent === product);
      return inside.length === 0 ? 1 : inside.reduce((sum, o) => sum + solids(o.child), 0);
    };
    expect(solids(roots[0]!)).toBe(18);
    expect(meshes(new Uint8Array(readFileSync(join(foreignFolder, 'as1-oc-214.stp'))))).toHaveLength(18);
  });
});

describe('DXF', () => {
  const folder = mkdtempSync(join(tmpdir(), 'rule-dxf-'));
  afterAll(() => rmSync(folder, { recursive: true }));

  it('ezdxf reads every written drawing without an error and finds what was written', () => {
    const drawings = paths.filter((path) => path.endsWith('.dxf'));
    for (const [i, path] of drawings.entries()) {
      let before: Uint8Array = read(path);
      // A sheet of loose texts gets its first cell by hand.
      const loose = dxf.read(before).inserts.length === 0 ? textsOnSheet(before, 'paper')[0] : undefined;
      if (loose) before = applyEdits(before, dxf.modify(before, [{ holder: '', place: 'anchor', name: loose.name, value: heldText('cell Title') }]));
      const { inserts, blocks, version } = dxf.read(before);
      const { holder, block } = inserts.find((insert) => insert.layout !== 'model')!;
      const tag = blocks.find((one) => one.name === block)!.cells[0]!.tag;
      const cell = { holder, place: 'cell' as const, name: tag, value: heldText('1.4404 ⌀') };
      // AC1009 drawings have no properties.
      const changes =
        version === 'AC1009'
          ? [cell]
          : [
              { holder: '', place: 'property' as const, name: 'Description', value: heldText('Größe ⌀ Ω') },
              { holder: '', place: 'property' as const, name: 'Spare', value: heldText('new') },
              { holder: '', place: 'property' as const, name: 'Revision', value: null },
              cell,
            ];
      writeFileSync(join(folder, `${i}.dxf`), applyEdits(before, formatOf(path)!.modify(before, changes)));
    }
    const judge = `
import sys, json
from ezdxf import recover
out = []
for path in sys.argv[1:]:
    doc, auditor = recover.readfile(path)
    sheet = doc.layout('Layout1' if doc.dxfversion == 'AC1009' else 'Sheet 1')
    texts = [a.dxf.text for i in sheet.query('INSERT') for a in i.attribs] + [t.dxf.text for t in sheet.query('TEXT')]
    out.append({'version': doc.dxfversion, 'errors': len(auditor.errors), 'fixes': len(auditor.fixes), 'properties': dict(doc.header.custom_vars.properties), 'texts': texts})
print(json.dumps(out))`;
    const found = JSON.parse(execFileSync('/usr/bin/python3', ['-c', judge, ...drawings.map((_, i) => join(folder, `${i}.dxf`))], { encoding: 'utf8' })) as {
      version: string;
      errors: number;
      fixes: number;
      properties: Record<string, string>;
      texts: string[];
    }[];
    // Four company sheets, eight of the DR-5 (one in inches) and six of two sites.
    expect(found).toHaveLength(18);
    for (const { version, errors, fixes, properties, texts } of found) {
      expect([errors, fixes]).toEqual([0, 0]);
      expect(texts).toContain('1.4404 ⌀');
      if (version === 'AC1009') continue;
      expect(properties).toMatchObject({ Description: 'Größe ⌀ Ω', Spare: 'new' });
      expect(properties).not.toHaveProperty('Revision');
    }
  });
});
