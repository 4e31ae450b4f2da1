import { describe, expect, it } from '@jest/globals';
import { TestBed } from '@angular/core/testing';
import { BlockView } from '@rule/contract';
import { BoundCell } from '@rule/core/titleblocks';
import { BlockShape, CellDefinition } from '@rule/core/files';
import { BlockPicture, extentOf, frameOf } from './picture';

const box = (x: number, y: number, w: number, h: number): BlockShape => ({
  shape: 'line',
  closed: true,
  points: [
    { x, y },
    { x: x + w, y },
    { x: x + w, y: y + h },
    { x, y: y + h },
  ],
});
const cell = (tag: string, x: number, y: number): CellDefinition => ({
  tag,
  prompt: '',
  preset: '',
  at: { x, y },
  height: 3.5,
  widthFactor: 1,
  rotation: 0,
  align: 'left',
  valign: 'baseline',
  constant: false,
  multiline: false,
});
const shapes: BlockShape[] = [
  box(0, 0, 180, 48),
  {
    shape: 'line',
    closed: false,
    points: [
      { x: 60, y: 0 },
      { x: 60, y: 48 },
    ],
  },
  {
    shape: 'line',
    closed: false,
    points: [
      { x: 60, y: 24 },
      { x: 180, y: 24 },
    ],
  },
  { shape: 'text', at: { x: 1, y: 44 }, text: 'Title', height: 1.8, rotation: 0, align: 'left' },
];

const bound = (tag: string, stored: string, shown: BoundCell['shown'], state: BoundCell['state']): BlockView['cells'][number] => ({
  tag,
  stored,
  fixed: null,
  bound: { drawing: 1, holder: 'insert:1', tag, binding: 1, stored, fixed: null, shown, state },
});

describe('the picture of a block', () => {
  it('is as large as the block', () => expect(extentOf(shapes, [cell('A', 2, 2)])).toEqual({ x: 0, y: 0, width: 180, height: 48 }));
  it('finds the box that each cell stands in', () => {
    expect(frameOf(cell('A', 2, 2), shapes)).toEqual({ x: 0, y: 0, width: 60, height: 48 });
    expect(frameOf(cell('B', 62, 26), shapes)).toEqual({ x: 60, y: 24, width: 120, height: 24 });
    expect(frameOf(cell('C', 300, 0), shapes)).toMatchObject({ x: 299, y: -1 });
  });
  it('is drawn to scale, with placeholders that are told apart from values', async () => {
    const view: BlockView = {
      file: { id: 1, library: 1, path: 'a.dxf', folder: '', name: 'a.dxf', kind: 'drawing', class: null, problem: null, lock: null },
      block: { name: 'T', shapes, cells: [cell('A', 2, 2), cell('B', 62, 2), cell('C', 62, 26)] },
      family: 't',
      holder: 'insert:1',
      layout: 'Layout1',
      number: 1,
      sheets: 1,
      scale: null,
      inside: null,
      model: { match: { state: 'unmatched' }, file: null, path: null, settled: false },
      cells: [
        bound('A', 'old', { state: 'value', text: 'new' }, 'stale'),
        bound('B', '', { state: 'blank', placeholder: 'finish', why: '' }, 'blank'),
        { tag: 'C', stored: 'by hand', fixed: null, bound: null },
      ],
    };
    const fixture = TestBed.createComponent(BlockPicture);
    fixture.componentRef.setInput('view', view);
    await fixture.whenStable();
    const svg = (fixture.nativeElement as HTMLElement).querySelector('svg')!;
    const [, , width, height] = svg.getAttribute('viewBox')!.split(' ').map(Number);
    expect(width! / height!).toBeCloseTo((180 + 2 * 2.16) / (48 + 2 * 2.16), 6);
    expect([...svg.querySelectorAll('text')].map((t) => [t.getAttribute('class'), t.textContent])).toEqual([
      ['label', 'Title'],
      ['would', 'new'],
      ['empty', '‹finish›'],
      ['value', 'by hand'],
    ]);
    expect([...svg.querySelectorAll('rect')].map((r) => r.getAttribute('aria-label'))).toEqual(['Cell A: new', 'Cell B: blank', 'Cell C: by hand']);
  });
});
