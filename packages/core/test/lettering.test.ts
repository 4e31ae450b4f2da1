import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { Encodings, Font, FontNames } from '@pdf-lib/standard-fonts';
import fc from 'fast-check';
import { create } from 'fontkit';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { applyEdits, invertEdits, letteringName } from '../src/files';
import { dxf } from '../src/files/dxf';
import {
  FitCell,
  FitRule,
  INCH_HEIGHTS,
  ISO_HEIGHTS,
  PLAIN_FIT,
  abbreviate,
  agrees,
  boxOf,
  fitOf,
  fontFor,
  heightText,
  letteringUnit,
  lineWidth,
  roomsIn,
  seriesFor,
  widthOf,
} from '../src/lettering';
import { heldText } from '../src/values';

const require = createRequire(import.meta.url);

describe('widths of lettering', () => {
  /**
   * Adobe's metrics of the PDF standard fonts (AFM files, Adobe Technical Note 5004), from @pdf-lib/standard-fonts. The fonts named in
   * drawings have equal advance widths.
   */
  it.each([
    ['arial.ttf', FontNames.Helvetica, 718],
    ['times.ttf', FontNames.TimesRoman, 662],
    ['cour.ttf', FontNames.Courier, 562],
  ])('of %s are those that the metrics of %s say', (file, name, capitals) => {
    const font = Font.load(name);
    const seen: number[] = [];
    for (let code = 33; code <= 255; code++) {
      if (!Encodings.WinAnsi.canEncodeUnicodeCodePoint(code)) continue;
      const width = font.getWidthOfGlyph(Encodings.WinAnsi.encodeUnicodeCodePoint(code).name)!;
      // Widths are in thousandths of an em; text is measured relative to cap height.
      const measured = lineWidth(String.fromCharCode(code), { file }, 1);
      // Macron, plus-minus, micro sign, middle dot and division sign differ between drawing and PDF fonts.
      if (![0xaf, 0xb1, 0xb5, 0xb7, 0xf7].includes(code)) expect([code, Math.abs(measured - width / capitals) < 0.02 * measured + 0.002]).toEqual([code, true]);
      seen.push(code);
    }
    expect(seen.length).toBeGreaterThan(85);
    expect(font.CapHeight).toBe(capitals);
  });

  it('of a font that is shipped are the advances that another reader of fonts sees in its file, unkerned', () => {
    const path = require.resolve('@fontsource/barlow/files/barlow-latin-400-normal.woff2');
    const font = create(readFileSync(path)) as unknown as {
      unitsPerEm: number;
      capHeight: number;
      layout: (text: string, features: Record<string, boolean>) => { advanceWidth: number };
    };
    fc.assert(
      fc.property(fc.stringMatching(/^[A-Za-z0-9 .,()/-]{1,40}$/), (text) => {
        const { advanceWidth } = font.layout(text, { kern: false, liga: false, calt: false, ccmp: false, locl: false });
        const expected = (advanceWidth / font.capHeight) * 2.5;
        expect(Math.abs(lineWidth(text, { file: 'barlow.ttf' }, 2.5) - expected)).toBeLessThan(0.002 * text.length * 2.5 + 1e-6);
      }),
    );
  });

  it('grow with height, width factor and every letter, and leave marks on letters out', () => {
    const text = fc.stringMatching(/^[A-Za-zÀ-ž0-9 ]{1,20}$/);
    fc.assert(
      fc.property(text, text, fc.double({ min: 0.5, max: 20, noNaN: true }), (a, b, height) => {
        const style = { file: 'isocp.shx' };
        expect(lineWidth(a + b, style, height)).toBeCloseTo(lineWidth(a, style, height) + lineWidth(b, style, height), 6);
        expect(lineWidth(a, style, height, 0.8)).toBeCloseTo(0.8 * lineWidth(a, style, height), 6);
      }),
    );
    expect(lineWidth('e\u0301', { file: 'arial.ttf' }, 1)).toBe(lineWidth('e', { file: 'arial.ttf' }, 1));
  });

  it('say whether they are those of the named font or an estimate', () => {
    expect(fontFor({ file: 'C:\\Windows\\Fonts\\ARIAL.TTF' })).toMatchObject({ font: 'sans', exact: true });
    expect(fontFor({ file: '', family: 'Arial Narrow' })).toEqual({ font: 'sans', stretch: 0.82, exact: true });
    expect(fontFor({ file: 'isocp.shx' })).toMatchObject({ font: 'narrow stroke', exact: false });
    expect(fontFor({ file: 'romans.shx' })).toMatchObject({ font: 'stroke', exact: false });
    expect(fontFor({ file: 'romand.shx' })).toMatchObject({ font: 'serif', exact: false });
    expect(fontFor({ file: '' })).toMatchObject({ font: 'stroke', exact: false });
    expect(fontFor({ file: 'house.ttf', family: 'House Gothic' })).toMatchObject({ font: 'sans', exact: false });
  });
});

describe('heights of lettering', () => {
  it('of ISO 3098-1 grow by the root of two, as the standard rounds them', () => {
    for (const [i, height] of ISO_HEIGHTS.slice(1).entries()) expect(height / ISO_HEIGHTS[i]!).toBeCloseTo(Math.SQRT2, 1);
  });

  it('of inch drawings are told as fractions, and taken for inches by their size where the drawing names no unit', () => {
    expect(INCH_HEIGHTS.map((height) => heightText(height, 'in'))).toEqual(['1/16"', '3/32"', '1/8"', '5/32"', '3/16"', '1/4"']);
    expect(heightText(3.5, 'mm')).toBe('3.5 mm');
    expect([letteringUnit(null, 0.125), letteringUnit(null, 3.5), letteringUnit('in', 1), letteringUnit('mm', 2.5)]).toEqual(['in', 'mm', 'in', 'mm']);
    // A block in inches, inserted at half size.
    expect(seriesFor('in', 0.5)[1]).toBeCloseTo(3 / 16, 9);
  });
});

const open = { left: null, right: null, below: null, above: null };
const cell = (over: Partial<FitCell> = {}): FitCell => ({
  height: 3.5,
  widthFactor: 1,
  style: { file: 'arial.ttf' },
  align: 'left',
  valign: 'baseline',
  between: null,
  multiline: false,
  room: { ...open, right: 40 },
  series: [...ISO_HEIGHTS],
  ...over,
});
const rule = (over: Partial<FitRule>): FitRule => ({ ...PLAIN_FIT, ...over });

describe('texts that do not fit', () => {
  // In Arial, 17.2 times its height by Helvetica's metrics: 60 mm at 3.5 mm.
  const long = 'WIDE BEARING HOUSING';

  it('are told by the width that there is', () => {
    const { ratio, needs, has } = fitOf(long, cell(), rule({ steps: [] }));
    expect(needs).toBeCloseTo(lineWidth(long, { file: 'arial.ttf' }, 1) * 3.5, 6);
    expect(has).toBeCloseTo(40 - 0.35, 6);
    expect(ratio).toBeCloseTo(needs / has!, 6);
    expect(fitOf(long, cell({ room: open }), PLAIN_FIT)).toMatchObject({ ratio: null, remedy: null });
    expect(widthOf({ align: 'centre', between: null, room: { ...open, left: 20, right: 30 } }, 3.5)).toBeCloseTo(40 - 0.7, 6);
    expect(widthOf({ align: 'right', between: null, room: { ...open, left: 20, right: null } }, 2)).toBeCloseTo(19.8, 6);
  });

  it('get the next lower height of the series: 1/8" becomes 3/32"', () => {
    const inch = cell({ height: 1 / 8, room: { ...open, right: 1.7 }, series: [...INCH_HEIGHTS] });
    expect(fitOf(long, inch, rule({ steps: ['lower height'] })).remedy).toMatchObject({ height: 3 / 32, widthFactor: 1, by: ['lower height'] });
    expect(fitOf(long, cell({ room: { ...open, right: 45 } }), rule({ steps: ['lower height'] })).remedy).toMatchObject({ height: 2.5 });
  });

  it('get narrower letters down to a limit, a second line where the cell has room, or an agreed abbreviation', () => {
    expect(fitOf(long, cell(), rule({ steps: ['narrower letters'], narrowest: 0.5 })).remedy).toMatchObject({ height: 3.5, by: ['narrower letters'] });
    expect(fitOf(long, cell({ room: { ...open, right: 30 } }), rule({ steps: ['narrower letters'], narrowest: 0.9 })).remedy).toBeNull();
    const tall = cell({ multiline: true, valign: 'top', room: { left: 2, right: 40, below: 14, above: 1 } });
    expect(fitOf(long, tall, rule({ steps: ['second line'] })).remedy).toMatchObject({ text: 'WIDE BEARING\nHOUSING', by: ['second line'] });
    expect(fitOf(long, { ...tall, room: { ...tall.room, below: 7 } }, rule({ steps: ['second line'] })).remedy).toBeNull();
    const wider = cell({ room: { ...open, right: 50 } });
    const short = rule({
      steps: ['abbreviations'],
      abbreviations: [
        { word: 'bearing', short: 'brg' },
        { word: 'housing', short: 'hsg' },
      ],
    });
    expect(fitOf(long, wider, short).remedy).toMatchObject({ text: 'WIDE BRG HOUSING', by: ['abbreviations'] });
    expect(fitOf(long, cell(), short).remedy).toMatchObject({ text: 'WIDE BRG HSG' });
  });

  it('are helped by one remedy where one is enough, by several where it takes them, and by none in vain', () => {
    const narrow = cell({ room: { ...open, right: 34 } });
    expect(fitOf(long, narrow, rule({ steps: ['narrower letters', 'lower height'], narrowest: 0.8 })).remedy).toMatchObject({
      by: ['lower height'],
      height: 1.8,
    });
    const tight = fitOf(long, cell({ room: { ...open, right: 26 } }), rule({ steps: ['lower height', 'narrower letters'], narrowest: 0.8 })).remedy;
    expect(tight).toMatchObject({ by: ['lower height', 'narrower letters'], height: 1.8 });
    expect(fitOf(long, cell({ room: { ...open, right: 5 } }), PLAIN_FIT).remedy).toBeNull();
  });

  it('fit once the remedy is taken, whatever the text and the cell, and ask for no other then', () => {
    const words = fc.array(fc.constantFrom('BEARING', 'housing', 'W', 'mounting', 'plate', 'M12×40', 'Ω'), { minLength: 1, maxLength: 7 });
    const room = fc.double({ min: 2, max: 60, noNaN: true });
    fc.assert(
      fc.property(
        words,
        room,
        fc.constantFrom(2.5, 3.5, 5),
        fc.constantFrom('left', 'centre', 'right'),
        fc.boolean(),
        fc.shuffledSubarray(['lower height', 'narrower letters', 'second line', 'abbreviations'] as const),
        (list, width, height, align, multiline, steps) => {
          const text = list.join(' ');
          const where = cell({ height, align, multiline, room: { left: width, right: width, below: 12, above: 6 } });
          const own = rule({
            steps: [...steps],
            abbreviations: [
              { word: 'mounting', short: 'mtg' },
              { word: 'bearing', short: 'brg' },
            ],
          });
          const { remedy, ratio } = fitOf(text, where, own);
          if (!remedy) return;
          expect(ratio).toBeGreaterThan(1);
          const after = fitOf(remedy.text, { ...where, height: remedy.height, widthFactor: remedy.widthFactor }, own);
          expect(after.ratio === null || after.ratio <= 1.001).toBe(true);
          expect(remedy.widthFactor).toBeGreaterThanOrEqual(own.narrowest);
          expect(agrees(remedy.text, text, own)).toBe(true);
        },
      ),
    );
  });

  it('between two points are narrowed by the drawing itself, and too long when that goes below the limit', () => {
    const between = cell({ between: 30, room: open });
    const { ratio } = fitOf(long, between, rule({ steps: [], narrowest: 0.5 }));
    expect(ratio).toBeCloseTo((lineWidth(long, { file: 'arial.ttf' }, 3.5) * 0.5) / 30, 6);
  });

  it('are abbreviated by whole words, whose capitals stay capitals', () => {
    expect(abbreviate('Mounting plate, MOUNTING, remounting', { word: 'mounting', short: 'mtg' })).toBe('mtg plate, MTG, remounting');
    expect(
      agrees(
        'WIDE BRG\nHOUSING',
        'WIDE BEARING HOUSING',
        rule({ steps: ['second line', 'abbreviations'], abbreviations: [{ word: 'bearing', short: 'brg' }] }),
      ),
    ).toBe(true);
    expect(agrees('WIDE BRG HOUSING', 'WIDE BEARING HOUSING', PLAIN_FIT)).toBe(false);
  });
});

describe('rooms of cells', () => {
  const base = {
    prompt: '',
    preset: '',
    height: 3,
    widthFactor: 1,
    rotation: 0,
    align: 'left',
    valign: 'baseline',
    constant: false,
    multiline: false,
  } as const;
  const frame = {
    shape: 'line',
    closed: true,
    points: [
      { x: 0, y: 0 },
      { x: 60, y: 0 },
      { x: 60, y: 10 },
      { x: 0, y: 10 },
    ],
  } as const;

  it('end at the nearest line, caption or cell beside the text, not above it', () => {
    const [room] = roomsIn([{ ...base, tag: 'T', at: { x: 5, y: 2 } }], [frame]);
    expect(room).toEqual({ left: 5, right: 55, below: 2, above: 8 });
    expect(boxOf(room!)).toEqual({ x: -5, y: -2, width: 60, height: 10 });
    const caption = { shape: 'text', at: { x: 40, y: 2 }, text: 'OF', height: 3, rotation: 0, align: 'left' } as const;
    expect(roomsIn([{ ...base, tag: 'T', at: { x: 5, y: 2 } }], [frame, caption])[0]!.right).toBe(35);
    expect(roomsIn([{ ...base, tag: 'T', at: { x: 5, y: 2 } }], [frame, { ...caption, at: { x: 6, y: 7 } }])[0]!.right).toBe(55);
    const two = [
      { ...base, tag: 'A', at: { x: 5, y: 2 } },
      { ...base, tag: 'B', at: { x: 30, y: 2 } },
    ];
    expect(roomsIn(two, [frame]).map((one) => [one.left, one.right])).toEqual([
      [5, 25],
      [25, 30],
    ]);
  });

  it('turn with the text', () => {
    const turn = ({ x, y }: { x: number; y: number }) => ({ x: -y, y: x });
    const turned = { ...frame, points: frame.points.map(turn) };
    const [room] = roomsIn([{ ...base, tag: 'T', rotation: 90, at: turn({ x: 5, y: 2 }) }], [turned]);
    expect(room).toEqual({ left: 5, right: 55, below: 2, above: 8 });
    expect(roomsIn([{ ...base, tag: 'T', at: { x: 5, y: 2 } }], [])[0]).toEqual(open);
  });
});

/** A framed block in millimetres and one in inches, by ezdxf. */
const DRAW = String.raw`
import sys
import ezdxf
folder = sys.argv[1]
for version in ('R12', 'R2000', 'R2010', 'R2018'):
    doc = ezdxf.new(version, setup=True)
    doc.styles.add('ARIAL', font='arial.ttf')
    block = doc.blocks.new('FRAME')
    for a, b in (((0, 0), (60, 0)), ((60, 0), (60, 10)), ((60, 10), (0, 10)), ((0, 10), (0, 0))):
        block.add_line(a, b)
    block.add_attdef('TITLE', (5, 2), dxfattribs={'height': 3.5, 'style': 'ARIAL'})
    block.add_attdef('WIDE', (5, 6), dxfattribs={'height': 2.5, 'style': 'ARIAL', 'width': 0.9})
    insert = doc.layout('Layout1').add_blockref('FRAME', (10, 20), dxfattribs={'xscale': 2, 'yscale': 2, 'rotation': 90})
    insert.add_auto_attribs({'TITLE': 'Wheel', 'WIDE': 'Rim'})
    doc.saveas(f'{folder}/{version}.dxf')
`;
const READ = String.raw`
import sys, json, ezdxf
out = []
for path in sys.argv[1:]:
    doc = ezdxf.readfile(path)
    out.append({'cells': {a.dxf.tag: [round(a.dxf.height, 6), round(a.dxf.get('width', 1), 6), a.dxf.text] for i in doc.layout('Layout1').query('INSERT') for a in i.attribs}, 'errors': [e.message for e in doc.audit().errors]})
print(json.dumps(out))
`;

describe('lettering of cells in drawings', () => {
  const folder = mkdtempSync(join(tmpdir(), 'rule-lettering-'));
  const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });
  beforeAll(() => void python(DRAW, folder));
  afterAll(() => rmSync(folder, { recursive: true }));
  const VERSIONS = ['R12', 'R2000', 'R2010', 'R2018'];
  const bytesOf = (version: string) => new Uint8Array(readFileSync(join(folder, `${version}.dxf`)));

  it('is read with font and room, and a sheet says only what is not as its block says', () => {
    for (const version of VERSIONS) {
      const reading = dxf.read(bytesOf(version));
      const [title] = reading.blocks.find((block) => block.name === 'FRAME')!.cells;
      expect(title).toMatchObject({ font: { file: 'arial.ttf' }, room: { left: 5, right: 55, below: 2, above: 8 } });
      expect(reading.inserts[0]).toMatchObject({ scale: 2 });
      expect(reading.inserts[0]!.own).toBeUndefined();
      expect(reading.holders.flatMap((holder) => holder.values).filter((value) => value.place === 'lettering')).toEqual([]);
    }
  });

  it('is written so that ezdxf reads it and finds nothing wrong, is read back, and can be undone to the byte, also by leaving it to the block', () => {
    const written = VERSIONS.map((version) => {
      const before = bytesOf(version);
      const [insert] = dxf.read(before).inserts;
      const change = (tag: string, aspect: 'height' | 'width factor', value: string | null) => ({
        holder: insert!.holder,
        place: 'lettering' as const,
        name: letteringName(tag, aspect),
        value: value === null ? null : heldText(value),
      });
      const edits = dxf.modify(before, [
        change('TITLE', 'height', '5'),
        change('TITLE', 'width factor', '0.8'),
        change('WIDE', 'width factor', '0.75'),
        { holder: insert!.holder, place: 'cell', name: 'TITLE', value: heldText('Driving wheel') },
      ]);
      const after = applyEdits(before, edits);
      expect(Buffer.compare(applyEdits(after, invertEdits(before, edits)), before)).toBe(0);
      const own = dxf.read(after).inserts[0]!.own!;
      expect(own.TITLE).toMatchObject({ height: 5, widthFactor: 0.8 });
      const values = dxf.read(after).holders.flatMap((holder) => holder.values.filter((value) => value.place === 'lettering'));
      expect(values.map((value) => [value.name, value.held.text])).toEqual([
        ['TITLE height', '5'],
        ['TITLE width factor', '0.8'],
        ['WIDE width factor', '0.75'],
      ]);
      const back = applyEdits(
        after,
        dxf.modify(after, [
          change('TITLE', 'height', null),
          change('TITLE', 'width factor', null),
          change('WIDE', 'width factor', null),
          { holder: insert!.holder, place: 'cell', name: 'TITLE', value: heldText('Wheel') },
        ]),
      );
      expect(Buffer.from(back).toString('latin1')).toBe(Buffer.from(before).toString('latin1'));
      const path = join(folder, `${version}-written.dxf`);
      writeFileSync(path, after);
      return path;
    });
    for (const { cells, errors } of JSON.parse(python(READ, ...written)) as { cells: Record<string, unknown[]>; errors: string[] }[]) {
      expect(errors).toEqual([]);
      expect(cells).toEqual({ TITLE: [5, 0.8, 'Driving wheel'], WIDE: [5, 0.75, 'Rim'] });
    }
  });

  it.each([
    ['nothing', 'TITLE height', '0'],
    ['words', 'TITLE height', 'tall'],
    ['a cell that is not there', 'NONE height', '2'],
    ['an aspect that there is not', 'TITLE colour', '2'],
  ])('is not written from %s', (_, name, value) => {
    const before = bytesOf('R2010');
    const { holder } = dxf.read(before).inserts[0]!;
    expect(() => dxf.modify(before, [{ holder, place: 'lettering', name, value: heldText(value) }])).toThrow();
  });
});
