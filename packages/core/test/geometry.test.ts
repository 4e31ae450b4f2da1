import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from '@jest/globals';
import { applyEdits } from '../src/files';
import { cutShapes, step } from '../src/files/step';
import { densityIn, densityOf, drawTriangles, judgeMass, judgeMaterial, massOf, sumMass } from '../src/geometry';
import { heldText } from '../src/values';
import { foreignFiles, foreignFolder, openMeshReader } from './outside';

const demo = join(import.meta.dirname, '../../demo');

let meshes: (bytes: Uint8Array) => number[][];
beforeAll(async () => {
  meshes = await openMeshReader();
});

describe('shapes cut out of STEP files', () => {
  const parts = [
    ...readdirSync(join(demo, 'library/DR-15/parts')).map((name) => join(demo, 'library/DR-15/parts', name)),
    ...readdirSync(join(demo, 'inherited/DR-5/models'))
      .filter((name) => /^F5-0[1-7]/.test(name))
      .map((name) => join(demo, 'inherited/DR-5/models', name)),
  ];

  it.each(parts.map((path) => [path.slice(demo.length + 1), path] as const))('%s: the cut file holds the same geometry, says an outside reader', (_, path) => {
    const bytes = new Uint8Array(readFileSync(path));
    const [whole] = cutShapes(bytes);
    expect(meshes(whole!.file)).toEqual(meshes(bytes));
  });

  it('what an edit of values does not touch stays the same, so that nothing is measured twice', () => {
    const bytes = new Uint8Array(readFileSync(join(demo, 'library/DR-15/parts/drum.step')));
    const edited = applyEdits(bytes, step.modify(bytes, [{ holder: '', place: 'property', name: 'Description', value: heldText('another drum') }]));
    expect(cutShapes(edited)[0]!.essence).toEqual(cutShapes(bytes)[0]!.essence);
    const moved = new TextEncoder().encode(new TextDecoder('latin1').decode(bytes).replace('360.', '361.'));
    expect(Buffer.compare(cutShapes(moved)[0]!.essence, cutShapes(bytes)[0]!.essence)).not.toBe(0);
  });

  it('an assembly gives each distinct part once, and the whole last', () => {
    const shapes = cutShapes(new Uint8Array(readFileSync(join(demo, 'library/DR-15/assemblies/drum-unit.step'))));
    // Drum, shaft, arm, bearing, whole: four arms share a shape, so do two bearings.
    expect(shapes).toHaveLength(5);
    expect(shapes.at(-1)!.product).toBe('');
    expect(new Set(shapes.map((shape) => shape.product)).size).toBe(5);
  });

  it.each(foreignFiles)('%s, from another system, can be cut', (name) => {
    const bytes = new Uint8Array(readFileSync(join(foreignFolder, name)));
    const shapes = cutShapes(bytes);
    expect(shapes.length).toBeGreaterThan(0);
    for (const { file } of shapes) expect(() => step.read(file)).not.toThrow();
  });
});

describe('mass and material', () => {
  it('volume and density give mass: a litre of water at 4 °C weighs a kilogram (density 1000 kg/m³, rounded)', () => {
    expect(massOf(1e6, 1000)).toBeCloseTo(1, 12);
    expect(densityOf({ text: '7.85', form: 'measure', unit: 'g/cm³' })).toBeCloseTo(7850, 9);
    expect(densityOf(heldText('7850'))).toBeNull();
    expect(densityOf(null)).toBeNull();
    expect(densityIn([{ material: '1.4301', density: 7900 }], ' 1.4301')).toBe(7900);
    expect(densityIn([], null)).toBeNull();
  });

  it('a written mass agrees within its own rounding, in kilograms and pounds', () => {
    const kg = (text: string) => judgeMass({ text, form: 'measure', unit: 'kg' }, 'kg', 3.1104);
    expect(kg('3.11').state).toBe('agrees');
    expect(kg('3.1').state).toBe('agrees');
    expect(kg('3').state).toBe('agrees');
    expect(kg('2.83').state).toBe('stale');
    expect(kg('3.2').state).toBe('stale');
    // Beyond rounding, a mass may deviate by at most 0.05 %.
    const of = (text: string) => judgeMass({ text, form: 'measure', unit: 'kg' }, 'kg', 100).state;
    expect([of('100.04'), of('99.96'), of('100.06'), of('99.94')]).toEqual(['agrees', 'agrees', 'stale', 'stale']);
    // 6.857 lb are 3.1103 kg (NIST SP 811: 1 lb = 0.45359237 kg).
    expect(judgeMass({ text: '6.857', form: 'measure', unit: 'lb' }, 'kg', 3.1104)).toMatchObject({ state: 'agrees', written: expect.closeTo(3.1103, 4) });
    expect(judgeMass(heldText('6.857'), 'lb', 3.1104).state).toBe('agrees');
    expect(judgeMass(null, 'kg', 1).state).toBe('not written');
    expect(judgeMass(heldText('heavy'), 'kg', 1).state).toBe('unreadable');
    expect(judgeMass(heldText('1'), 'kg', null)).toEqual({ state: 'not computed', written: 1, computed: null });
  });

  it('says which of two materials is missing, and whether they differ', () => {
    expect(judgeMaterial('S235JR', 'S235JR')).toBe('agree');
    expect(judgeMaterial('S235JR', 's235 jr')).toBe('differ in wording');
    expect(judgeMaterial('S235JR', 'DC01')).toBe('differ');
    expect(judgeMaterial('S235JR', null)).toBe('only in the model');
    expect(judgeMaterial(null, 'DC01')).toBe('only in the property');
    expect(judgeMaterial(null, null)).toBe('neither');
  });

  it('sums an assembly over its occurrences, sub-assemblies included, and names what is missing', () => {
    const node = (own: number | null, ...children: (readonly [string, number])[]) => ({
      own,
      children: children.map(([key, times]) => ({ key, label: key, times })),
    });
    const tree: Readonly<Record<string, ReturnType<typeof node>>> = {
      roaster: node(null, ['unit', 1], ['leg', 4], ['probe', 2]),
      unit: node(null, ['drum', 1], ['bearing', 2]),
      drum: node(10),
      bearing: node(0.1),
      leg: node(2.5),
      probe: node(null),
      circle: node(null, ['circle', 1], ['drum', 1]),
    };
    expect(sumMass('unit', (key) => tree[key])).toEqual({ mass: 10.2, missing: [] });
    expect(sumMass('roaster', (key) => tree[key])).toEqual({ mass: 20.2, missing: ['probe'] });
    expect(sumMass('circle', (key) => tree[key])).toEqual({ mass: 10, missing: ['circle'] });
    expect(sumMass('nothing', (key) => tree[key])).toEqual({ mass: null, missing: ['nothing'] });
  });
});

describe('pictures', () => {
  it('shows what is in front, fills the frame and leaves the rest clear', () => {
    const quad = (y: number, size: number) => [-size, y, -size, size, y, -size, size, y, size, -size, y, -size, size, y, size, -size, y, size];
    const near = drawTriangles([...quad(0, 10), ...quad(40, 4)], 64, 64, [200, 100, 50]);
    const alpha = (x: number, y: number) => near.rgba[(y * near.width + x) * 4 + 3]!;
    expect([near.width, near.height, near.rgba.length]).toEqual([64, 64, 64 * 64 * 4]);
    expect(alpha(0, 0)).toBe(0);
    const filled = Array.from({ length: 64 * 64 }, (_, i) => near.rgba[i * 4 + 3]! > 0).filter(Boolean).length;
    expect(filled).toBeGreaterThan(64 * 64 * 0.2);
    expect(drawTriangles([], 8, 8, [0, 0, 0]).rgba.every((byte) => byte === 0)).toBe(true);
  });
});
