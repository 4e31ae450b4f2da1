import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { BomTable, FileGeometry } from '@rule/contract';
import { BomFact, factColumn, plainContent } from '@rule/core/bom';
import { cpSync } from 'node:fs';
import { join } from 'node:path';
import { PNG } from 'pngjs';
import { Geometries, KernelPool } from '../src/geometry/geometry';
import { Jobs, UNWATCHED } from '../src/jobs/jobs';
import { Person, Rule, startRule } from './harness';

jest.setTimeout(120_000);

let rule: Rule;
let guest: Person;
beforeAll(async () => {
  rule = await startRule({
    // A frame of five tubes as one part, written by the geometry kernel: 40 × 40 × 3 tubes of 400 mm and 260 mm, two each in mixed order,
    // and a 30 × 30 × 2 brace at a slant. An assembly places it twice.
    prepareLibrary: (folder) => {
      for (const name of ['weld-frame.step', 'weld-table.step']) cpSync(join(import.meta.dirname, 'fixtures', name), join(folder, name));
    },
  });
  guest = await rule.signIn('guest');
  await rule.services.geometries.measureAll(UNWATCHED);
});
afterAll(() => rule.stop());

describe('a welded part', () => {
  const facts: readonly BomFact[] = ['item', 'quantity', 'total', 'picture', 'length', 'section'];

  it('has its equal bodies in one row each, with count, length, cross-section and picture', async () => {
    const table = await rule.file('weld-table.step');
    const answer = await guest.post(`/files/${table}/bom`, {
      layout: null,
      content: { ...plainContent([]), structure: 'indented', bodies: true, columns: facts.map(factColumn) },
    });
    const { rows, headers } = answer.body as BomTable;
    expect(headers.slice(4)).toEqual(['Length by geometry, mm', 'Cross-section by geometry, mm']);
    expect(rows.map((row) => row.cells.map((cell) => cell.text).join(' | '))).toEqual([
      '1 | 2 | 2 |  |  | ',
      '1.1 | 2 | 4 |  | 400 | 40 × 40',
      '1.2 | 2 | 4 |  | 260 | 40 × 40',
      '1.3 | 1 | 2 |  | 300 | 30 × 30',
    ]);
    // Each has its own picture.
    const part = await rule.file('weld-frame.step');
    const pictures = await Promise.all(
      rows.slice(1).map(async (row) => {
        expect(row.picture).toBe(true);
        const picture = await guest.get(`/files/${part}/picture?body=${encodeURIComponent(row.bodies!.keys[0]!)}`);
        expect(picture.status).toBe(200);
        return picture.body as Buffer;
      }),
    );
    expect(pictures.map((bytes) => [PNG.sync.read(bytes).width, PNG.sync.read(bytes).height])).toEqual([320, 320, 320].map((width) => [width, 240]));
    expect(new Set(pictures.map((bytes) => bytes.toString('base64'))).size).toBe(3);
    expect((await guest.get(`/files/${part}/picture?body=body:none`)).status).toBe(404);
    expect((await guest.get(`/files/${part}/picture?v=0123456789ab`)).status).toBe(200);
  });

  it('is measured body by body in the order of its file', async () => {
    const { shape } = (await guest.get(`/files/${await rule.file('weld-frame.step')}/geometry`)).body as FileGeometry;
    // Volumes by hand: square tube cross-section, (40² − 34²) and (30² − 26²), times length.
    const [wide, narrow] = [40 ** 2 - 34 ** 2, 30 ** 2 - 26 ** 2];
    const volumes = shape!.bodies.map((body) => Math.round(body.volume));
    expect(volumes).toEqual([wide * 400, wide * 260, narrow * 300, wide * 400, wide * 260]);
    expect(shape!.bodies.map((body) => body.size!.map((length) => Math.round(length * 10) / 10))).toEqual([
      [400, 40, 40],
      [260, 40, 40],
      [300, 30, 30],
      [400, 40, 40],
      [260, 40, 40],
    ]);
  });
});

describe('files that somebody looks at', () => {
  it('are measured before the others, though a job has begun', async () => {
    const { db } = rule.services;
    const order: number[] = [];
    const files = (await db.all<{ id: number }>(`UPDATE files SET shaped_hash = NULL WHERE format = 'step' AND NOT removed RETURNING id, size`)).length;
    const bySize = await db.all<{ id: number }>(`SELECT id FROM files WHERE format = 'step' AND NOT removed ORDER BY size, id`);
    const last = bySize.at(-1)!.id;
    const kernel = {
      shapeFile: async ({ file }: { file: number }) => {
        order.push(file);
        if (order.length === 2) expect((await geometries.of(last)).measured).toBe(false);
        return [];
      },
    } as unknown as KernelPool;
    const geometries = new Geometries(db, kernel, { define: () => undefined } as unknown as Jobs);
    expect(await geometries.measureAll(UNWATCHED)).toEqual({ files, problems: 0 });
    expect(order.slice(0, 4)).toEqual([bySize[0]!.id, bySize[1]!.id, last, bySize[2]!.id]);
    expect(new Set(order).size).toBe(order.length);
  });
});
