import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, describe, expect, it } from '@jest/globals';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import fc from 'fast-check';
import { FileChange, FileFormat, applyEdits, formatById, formatOf, invertEdits, sniffFormat } from '../src/files';
import { dxf } from '../src/files/dxf';
import { opc } from '../src/files/opc';
import { decodeString, step } from '../src/files/step';
import { heldText } from '../src/values';

/** Extended formats, verified by independent programs where available. */
const require = createRequire(import.meta.url);
const folder = mkdtempSync(join(tmpdir(), 'rule-formats-'));
afterAll(() => rmSync(folder, { recursive: true }));
const utf8 = (text: string) => new Uint8Array(Buffer.from(text, 'utf8'));
const holder = (format: FileFormat, bytes: Uint8Array, key = '') => format.read(bytes).holders.find((candidate) => candidate.key === key)!;
const held = (format: FileFormat, bytes: Uint8Array, key = '') =>
  Object.fromEntries(holder(format, bytes, key).values.map((value) => [`${value.place} ${value.name}`, value.held]));
const changed = (format: FileFormat, bytes: Uint8Array, ...changes: FileChange[]) => {
  const edits = format.modify(bytes, changes);
  const after = applyEdits(bytes, edits);
  expect(Buffer.compare(applyEdits(after, invertEdits(bytes, edits)), bytes)).toBe(0);
  return after;
};
const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });

describe('STEP bodies, materials and validation properties', () => {
  /** A frame of two cut pieces: one with a shape aspect, one without. */
  const frame = utf8(`ISO-10303-21;
HEADER;FILE_DESCRIPTION(('t'),'2;1');FILE_NAME('f','2026-01-01T00:00:00',(''),(''),'','','');FILE_SCHEMA(('AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF'));ENDSEC;
DATA;
#1=PRODUCT('F-1','Frame','',());
#2=PRODUCT_DEFINITION_FORMATION('A','',#1);
#3=PRODUCT_DEFINITION('design','',#2,$);
#4=PRODUCT_DEFINITION_SHAPE('','',#3);
#5=SHAPE_DEFINITION_REPRESENTATION(#4,#6);
#6=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#10,#11),#7);
#7=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNIT_ASSIGNED_CONTEXT((#8))REPRESENTATION_CONTEXT('',''));
#8=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));
#10=MANIFOLD_SOLID_BREP('leg',#20);
#11=MANIFOLD_SOLID_BREP('rail',#20);
#20=CLOSED_SHELL('',());
#30=SHAPE_ASPECT('','solid',#4,.F.);
#31=GEOMETRIC_ITEM_SPECIFIC_USAGE('','',#30,#6,#10);
#32=REPRESENTATION_CONTEXT('','user defined attributes');
#33=PROPERTY_DEFINITION('Cut length','user defined attribute',#30);
#34=DESCRIPTIVE_REPRESENTATION_ITEM('Cut length','800');
#35=REPRESENTATION('Cut length',(#34),#32);
#36=PROPERTY_DEFINITION_REPRESENTATION(#33,#35);
#40=PROPERTY_DEFINITION('material property','material name',#3);
#41=DESCRIPTIVE_REPRESENTATION_ITEM('S235JR','structural steel');
#42=REPRESENTATION('material name',(#41),#32);
#43=PROPERTY_DEFINITION_REPRESENTATION(#40,#42);
ENDSEC;
END-ISO-10303-21;
`);
  it('reads the values of a solid, its material and the unit of lengths', () => {
    expect(step.read(frame).holders.map(({ level, label }) => [level, label])).toEqual([
      ['document', 'Frame'],
      ['body', 'leg'],
      ['body', 'rail'],
    ]);
    expect(held(step, frame, 'body:F-1/leg')).toEqual({ 'property Cut length': heldText('800') });
    expect(held(step, frame)).toMatchObject({ 'fact material': heldText('S235JR'), 'fact length unit': heldText('mm') });
  });
  it('writes to a solid, with a shape aspect of its own where it has none', () => {
    const after = changed(
      step,
      frame,
      { holder: 'body:F-1/rail', place: 'property', name: 'Cut length', value: { text: '450', form: 'measure', unit: 'mm' } },
      { holder: 'body:F-1/leg', place: 'property', name: 'Cut length', value: heldText('801') },
    );
    expect(held(step, after, 'body:F-1/rail')).toEqual({ 'property Cut length': { text: '450', form: 'measure', unit: 'mm' } });
    expect(held(step, after, 'body:F-1/leg')).toEqual({ 'property Cut length': heldText('801') });
    expect(Buffer.from(after).toString()).toMatch(/SHAPE_ASPECT\('','rail',#4,\.F\.\)/);
  });
  it('reads values tied to a solid by a shape representation of the solid alone', () => {
    const tied = Buffer.from(frame)
      .toString()
      .replace(/#30=.*\n#31=.*\n/, "#30=PROPERTY_DEFINITION('x','',#3);\n")
      .replace(
        "#33=PROPERTY_DEFINITION('Cut length','user defined attribute',#30);",
        "#33=PROPERTY_DEFINITION('Cut length','user defined attribute',#3);\n#37=SHAPE_REPRESENTATION('',(#10),#7);\n#38=SHAPE_DEFINITION_REPRESENTATION(#33,#37);",
      );
    expect(held(step, utf8(tied), 'body:F-1/leg')).toEqual({ 'property Cut length': heldText('800') });
  });
  it('refuses to write a fact', () => {
    expect(() => step.modify(frame, [{ holder: '', place: 'fact', name: 'material', value: heldText('x') }])).toThrow('cannot be written');
  });
  it('decodes the parts of ISO 8859 that a string names', () => {
    // ISO 8859-2 has ł at 0xB3, 8859-5 has Ж at 0xB6, 8859-7 has Ω at 0xD9 (tables of ISO 8859, from memory).
    expect(decodeString(utf8('\\PB\\zw\\S\\3r'))).toBe('zwłr');
    expect(decodeString(utf8('\\PE\\\\S\\6'))).toBe('Ж');
    expect(decodeString(utf8('\\PG\\\\S\\Y \\PA\\\\S\\i'))).toBe('Ω é');
  });

  const foreign = join(dirname(require.resolve('occt-import-js/package.json')), 'test/testfiles');
  it('reads materials and densities as their systems wrote them, wrong exponents included', () => {
    // The titanium alloy Ti-6Al-4V has 4.43 g/cm³ (handbook value, from memory); the file states 4.423.
    const bytes = new Uint8Array(readFileSync(join(foreign, 'cax-if/dm1-oc-214.stp')));
    expect(held(step, bytes, 'copy:l-bracket')).toMatchObject({
      'fact material': heldText('AMS 4928; Titanium 6-4'),
      'fact density': { text: '4.423001', form: 'measure', unit: 'g/cm³' },
    });
  });
  it('reads the volume that as1 states in two systems alike', () => {
    const volumes = ['cax-if/as1-oc-214.stp', 'cax-if/as1-tu-203.stp'].map((path) => {
      const fact = held(step, new Uint8Array(readFileSync(join(foreign, path))))['fact validation volume']!;
      expect(fact.unit).toBe('mm³');
      return Number(fact.text);
    });
    expect(Math.abs(volumes[0]! / volumes[1]! - 1)).toBeLessThan(1e-5);
  });
});

describe('DXF as ezdxf writes it', () => {
  const script = `
import sys, ezdxf
folder = sys.argv[1]
for version in ['R12', 'R2000', 'R2004', 'R2007', 'R2010', 'R2013', 'R2018']:
    doc = ezdxf.new(version)
    doc.encoding = 'cp1250' if version in ('R12', 'R2000', 'R2004') else 'utf-8'
    block = doc.blocks.new('TITLE', base_point=(5, 5))
    block.add_attdef('NAME', (10, 10), text='name?', height=3.5, dxfattribs={'prompt': 'Name of the part'})
    block.add_attdef('LATE', (10, 20), text='', height=5)
    fixed = block.add_attdef('OWNER', (10, 30), text='Company', height=2.5)
    fixed.is_const = True
    space = doc.modelspace() if version == 'R12' else doc.layout('Layout1')
    insert = space.add_blockref('TITLE', (100, 50), dxfattribs={'rotation': 90, 'xscale': 2, 'yscale': 2})
    insert.add_attrib('NAME', 'Krążek %%c20', (110, 55))
    bare = space.add_blockref('TITLE', (300, 50))
    outline = [(0, 0, 0, 0, 1), (10, 0, 0, 0, 1)]
    if version == 'R12':
        doc.modelspace().add_polyline2d(outline, format='xyseb', close=True)
    else:
        doc.modelspace().add_lwpolyline(outline, format='xyseb', close=True)
        space.add_viewport(center=(150, 100), size=(200, 150), view_center_point=(0, 0), view_height=300)
    doc.saveas(f'{folder}/{version}.dxf')
`;
  const judge = `
import sys, json
from ezdxf import recover
out = []
for path in sys.argv[1:]:
    doc, auditor = recover.readfile(path)
    inserts = [i for layout in doc.layouts for i in layout.query('INSERT')]
    out.append({'errors': len(auditor.errors), 'fixes': [str(f.message) for f in auditor.fixes], 'cells': [{a.dxf.tag: [a.dxf.text, round(a.dxf.insert.x, 3), round(a.dxf.insert.y, 3), a.dxf.height] for a in i.attribs} for i in inserts]})
print(json.dumps(out))`;
  const VERSIONS = ['R12', 'R2000', 'R2004', 'R2007', 'R2010', 'R2013', 'R2018'];
  python(script, folder);
  const read = (version: string) => new Uint8Array(readFileSync(join(folder, `${version}.dxf`)));

  it.each(VERSIONS)('%s: cells with prompts and presets, constants, layouts, code pages, scales, areas', (version) => {
    const reading = dxf.read(read(version));
    const block = reading.blocks.find((candidate) => candidate.name === 'TITLE')!;
    expect(block.cells.map(({ tag, prompt, preset, constant }) => [tag, tag === 'NAME' ? prompt : '', preset, constant])).toEqual([
      ['NAME', 'Name of the part', 'name?', false],
      ['LATE', '', '', false],
      ['OWNER', '', 'Company', true],
    ]);
    expect(reading.inserts.map(({ layout, missing }) => [layout, missing])).toEqual([
      [version === 'R12' ? 'model' : 'Layout1', ['LATE']],
      [version === 'R12' ? 'model' : 'Layout1', ['NAME', 'LATE']],
    ]);
    expect(reading.holders[1]!.values.filter(({ place }) => place !== 'placed').map(({ name, held: { text }, fixed }) => [name, text, fixed])).toEqual([
      ['NAME', 'Krążek ⌀20', undefined],
      ['OWNER', 'Company', 'constant'],
      // ezdxf sets an attribute height by default.
      ['NAME height', '2.5', undefined],
    ]);
    // Two half circles on a chord of 10 form a circle: π·5².
    const outline = reading.sheets.find((sheet) => sheet.layout === 'model')!.outlines[0]!;
    expect(outline.area).toBeCloseTo(Math.PI * 25, 9);
    if (version !== 'R12') expect(reading.sheets.find((sheet) => sheet.layout === 'Layout1')!.scales).toEqual([0.5]);
  });

  it('gives inserts the attributes that they lack, and ezdxf finds nothing to mend', () => {
    for (const version of VERSIONS) {
      const before = read(version);
      const [first, bare] = dxf.read(before).inserts.map((insert) => insert.holder);
      const after = changed(
        dxf,
        before,
        { holder: first!, place: 'cell', name: 'LATE', value: heldText('late Ω') },
        { holder: bare!, place: 'cell', name: 'NAME', value: heldText('bare') },
        { holder: bare!, place: 'cell', name: 'LATE', value: heldText('both') },
      );
      expect(dxf.read(after).inserts.map((insert) => insert.missing)).toEqual([[], []]);
      writeFileSync(join(folder, `${version}-after.dxf`), after);
    }
    const found = JSON.parse(python(judge, ...VERSIONS.map((version) => join(folder, `${version}-after.dxf`)))) as {
      errors: number;
      fixes: string[];
      cells: Record<string, [string, number, number, number]>[];
    }[];
    for (const { errors, fixes, cells } of found) {
      expect([errors, fixes]).toEqual([0, []]);
      // Rotated by 90° and doubled about the base point (5, 5): (10, 20) becomes (100 − 30, 50 + 10).
      expect(cells[0]!['LATE']).toEqual(['late Ω', 70, 60, 10]);
      expect(cells[1]).toEqual({ NAME: ['bare', 305, 55, 3.5], LATE: ['both', 305, 65, 5] });
    }
  });

  it('refuses to write a constant cell', () => {
    const bytes = read('R2018');
    expect(() => dxf.modify(bytes, [{ holder: dxf.read(bytes).inserts[0]!.holder, place: 'cell', name: 'OWNER', value: heldText('x') }])).toThrow(
      'is constant',
    );
  });

  it('reads and writes multi-line attributes as ezdxf does', () => {
    const path = join(folder, 'multi.dxf');
    python(
      `
import sys, ezdxf
doc = ezdxf.new('R2018')
doc.blocks.new('T').add_attdef('NOTE', (0, 0), height=2.5)
attrib = doc.modelspace().add_blockref('T', (0, 0)).add_attrib('NOTE', 'first', (0, 0))
attrib.embed_mtext(doc.modelspace().add_mtext('first {\\\\fArial;second}\\\\PØ third', dxfattribs={'char_height': 2.5}))
doc.saveas(sys.argv[1])`,
      path,
    );
    const before = new Uint8Array(readFileSync(path));
    const key = dxf.read(before).inserts[0]!.holder;
    expect(held(dxf, before, key)['cell NOTE']).toEqual(heldText('first second\nØ third'));
    const after = changed(dxf, before, { holder: key, place: 'cell', name: 'NOTE', value: heldText('one {1}\ntwo') });
    expect(held(dxf, after, key)['cell NOTE']).toEqual(heldText('one {1}\ntwo'));
    writeFileSync(path, after);
    const said = python(
      `
import sys, json
from ezdxf import recover
doc, auditor = recover.readfile(sys.argv[1])
attrib = doc.modelspace().query('INSERT')[0].attribs[0]
print(json.dumps([len(auditor.errors), attrib.virtual_mtext_entity().plain_text()]))`,
      path,
    );
    expect(JSON.parse(said)).toEqual([0, 'one {1}\ntwo']);
  });

  it('knows a text that the drawing computes, and never writes over it', () => {
    const path = join(folder, 'field.dxf');
    python(
      `
import sys, ezdxf
doc = ezdxf.new('R2018')
doc.blocks.new('T').add_attdef('FILE', (0, 0), height=2.5)
attrib = doc.modelspace().add_blockref('T', (0, 0)).add_attrib('FILE', 'plate.dxf', (0, 0))
attrib.new_extension_dict().dictionary.add_new_dict('ACAD_FIELD').add_new_dict('TEXT')
doc.saveas(sys.argv[1])`,
      path,
    );
    // ezdxf creates no field objects: the placeholder is turned into one per the DXF reference (from memory).
    const text = readFileSync(path, 'utf8').replaceAll('\r\n', '\n');
    const at = / {2}3\nTEXT\n(?:350|360)\n([0-9A-F]+)\n/.exec(text)![1]!;
    const made = text.replace(
      new RegExp(`  0\\nDICTIONARY\\n  5\\n${at}\\n330\\n([0-9A-F]+)\\n100\\nAcDbDictionary\\n(?:280\\n1\\n)?281\\n1\\n`),
      `  0\nFIELD\n  5\n${at}\n330\n$1\n100\nAcDbField\n  1\nAcVar\n  2\n\\AcVar Filename\n 90\n0\n`,
    );
    expect(made).toContain('AcDbField');
    const bytes = utf8(made);
    const key = dxf.read(bytes).inserts[0]!.holder;
    expect(dxf.read(bytes).holders[1]!.values[0]).toMatchObject({ name: 'FILE', fixed: '\\AcVar Filename' });
    expect(() => dxf.modify(bytes, [{ holder: key, place: 'cell', name: 'FILE', value: heldText('x') }])).toThrow('computes the cell FILE itself');
  });
});

describe('Open Packaging', () => {
  const RELS = (more = '') =>
    `<?xml version="1.0" encoding="UTF-8"?>\n<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/>${more}</Relationships>`;
  const TYPES =
    '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/></Types>';
  const bare = zipSync({ '[Content_Types].xml': strToU8(TYPES), '_rels/.rels': strToU8(RELS()), 'word/document.xml': strToU8('<document/>') });
  const CHANGES: FileChange[] = [
    { holder: '', place: 'property', name: 'Part number', value: heldText('007 <&> "Ω"') },
    { holder: '', place: 'property', name: 'Sheets', value: { text: '3', form: 'integer' } },
    { holder: '', place: 'property', name: 'Released', value: { text: 'yes', form: 'boolean' } },
    { holder: '', place: 'field', name: 'title', value: heldText('Test report') },
  ];

  it('adds its parts to a document that has none and makes them known', () => {
    const after = changed(opc, bare, ...CHANGES);
    expect(held(opc, after)).toEqual({
      'field title': heldText('Test report'),
      'property Part number': heldText('007 <&> "Ω"'),
      'property Sheets': { text: '3', form: 'integer' },
      'property Released': { text: 'yes', form: 'boolean' },
    });
    // fflate reads the archive independently; content types and relationships name the new parts.
    const parts = unzipSync(after);
    expect(strFromU8(parts['[Content_Types].xml']!)).toContain('PartName="/docProps/custom.xml"');
    expect(strFromU8(parts['_rels/.rels']!)).toMatch(/Target="docProps\/custom\.xml".*Target="docProps\/core\.xml"/);
    expect(strFromU8(parts['word/document.xml']!)).toBe('<document/>');
    expect(formatOf('x.DOCX')).toBe(opc);
  });

  it('keeps untouched entries to the byte', () => {
    const after = changed(opc, bare, CHANGES[0]!);
    const raw = (bytes: Uint8Array) => {
      const at = Buffer.from(bytes).indexOf('word/document.xml');
      return Buffer.from(bytes.subarray(at - 30, at + 40))
        .toString('hex')
        .slice(0, 120);
    };
    expect(raw(after)).toBe(raw(bare));
  });

  it('changes and removes single properties and leaves the others as they were', () => {
    const one = changed(opc, bare, ...CHANGES);
    const two = changed(
      opc,
      one,
      { holder: '', place: 'property', name: 'Part number', value: heldText('008') },
      { holder: '', place: 'property', name: 'Sheets', value: null },
      { holder: '', place: 'field', name: 'title', value: heldText('') },
    );
    expect(held(opc, two)).toEqual({ 'property Part number': heldText('008'), 'property Released': { text: 'yes', form: 'boolean' } });
  });

  const name = fc.string({ unit: 'grapheme', minLength: 1 }).filter((s) => !/[\u0000-\u001f\ufffe\uffff]/.test(s) && !/\p{Cs}/u.test(s));
  it('holds whatever text is written, and is undone to the byte', () => {
    fc.assert(
      fc.property(fc.dictionary(name, name, { maxKeys: 4, noNullPrototype: true }), (values) => {
        const list = Object.entries(values).map(([key, value]): FileChange => ({ holder: '', place: 'property', name: key, value: heldText(value) }));
        const after = list.length ? changed(opc, bare, ...list) : bare;
        expect(Object.fromEntries(holder(opc, after).values.map((value) => [value.name, value.held.text]))).toEqual(values);
      }),
      { numRuns: 60 },
    );
  });

  it('reads and writes a workbook that LibreOffice wrote, and LibreOffice reads it back', () => {
    const source = join(folder, 'sheet.fods');
    writeFileSync(
      source,
      `<?xml version="1.0" encoding="UTF-8"?><office:document xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:meta="urn:oasis:names:tc:opendocument:xmlns:meta:1.0" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2" office:mimetype="application/vnd.oasis.opendocument.spreadsheet"><office:meta><dc:title>Seating list</dc:title><meta:user-defined meta:name="Part number" meta:value-type="string">00451</meta:user-defined><meta:user-defined meta:name="Checked" meta:value-type="boolean">true</meta:user-defined><meta:user-defined meta:name="Mass" meta:value-type="float">1.5</meta:user-defined></office:meta><office:body><office:spreadsheet><table:table table:name="A"><table:table-row><table:table-cell office:value-type="string"><text:p>x</text:p></table:table-cell></table:table-row></table:table></office:spreadsheet></office:body></office:document>`,
    );
    const convert = (to: string, input: string) =>
      execFileSync('soffice', ['--headless', `-env:UserInstallation=file://${folder}/profile`, '--convert-to', to, '--outdir', join(folder, 'out'), input], {
        stdio: 'ignore',
      });
    convert('xlsx', source);
    const path = join(folder, 'out/sheet.xlsx');
    const before = new Uint8Array(readFileSync(path));
    expect(held(opc, before)).toMatchObject({
      'field title': heldText('Seating list'),
      'property Part number': heldText('00451'),
      'property Checked': { text: 'yes', form: 'boolean' },
      'property Mass': { text: '1.5', form: 'real' },
    });
    const after = changed(
      opc,
      before,
      { holder: '', place: 'property', name: 'Part number', value: heldText('00452') },
      { holder: '', place: 'property', name: 'Supplier', value: heldText('Ötvös & Co') },
    );
    writeFileSync(path, after);
    convert('fods', path);
    const back = readFileSync(join(folder, 'out/sheet.fods'), 'utf8');
    expect(back).toContain('>00452</meta:user-defined>');
    expect(back).toContain('Ötvös &amp; Co');
    expect(back).toContain('<dc:title>Seating list</dc:title>');
  }, 120_000);

  it('finds core and custom properties by any spelling of their relationship, and writes into the parts that are there', () => {
    // LibreOffice 7.4 writes the core relationship below officedocument; ./ and different case name the same part.
    const rels = RELS(
      '<Relationship Id="a" Type="http://schemas.openxmlformats.org/officedocument/2006/relationships/metadata/core-properties" Target="./docProps/core.xml"/><Relationship Id="b" Type="http://purl.oclc.org/ooxml/officeDocument/relationships/customProperties" Target="DocProps/Custom.xml"/>',
    );
    const written = changed(opc, bare, ...CHANGES);
    const parts = unzipSync(written);
    const odd = zipSync({ ...parts, '_rels/.rels': strToU8(rels) });
    expect(held(opc, odd)).toEqual(held(opc, written));
    const after = unzipSync(changed(opc, odd, { holder: '', place: 'field', name: 'title', value: heldText('New') }, { ...CHANGES[0]!, value: heldText('1') }));
    expect(
      Object.keys(after)
        .filter((name) => name.startsWith('docProps/'))
        .sort(),
    ).toEqual(['docProps/core.xml', 'docProps/custom.xml']);
    expect(strFromU8(after['_rels/.rels']!)).toBe(rels);
    expect(strFromU8(after['docProps/core.xml']!)).toContain('>New<');
  });

  it('loses no entry whose name reads like another one', () => {
    const two = zipSync({ 'media/a1.bin': strToU8('one'), 'media/a2.bin': strToU8('two'), ...unzipSync(bare) });
    // Invalid UTF-8: both names decode alike.
    const alike = Buffer.from(two);
    for (const [name, byte] of [
      ['media/a1.bin', 0xe4],
      ['media/a2.bin', 0xf6],
    ] as const)
      for (let at = alike.indexOf(name); at >= 0; at = alike.indexOf(name, at)) alike.set([byte, byte], at + 6);
    const after = Buffer.from(changed(opc, new Uint8Array(alike), CHANGES[0]!));
    const count = (bytes: Buffer) => bytes.readUInt16LE(bytes.lastIndexOf(Buffer.from([0x50, 0x4b, 5, 6])) + 10);
    expect(count(after)).toBe(count(alike) + 1);
    expect([after.includes('one'), after.includes('two')].filter(Boolean)).toHaveLength([alike.includes('one'), alike.includes('two')].filter(Boolean).length);
  });

  it('writes texts that look like escapes, and whole numbers of any size, as office programs show them', () => {
    const values: FileChange[] = [
      { holder: '', place: 'property', name: 'Code', value: heldText('_x0041_B') },
      { holder: '', place: 'property', name: 'Large', value: { text: '3000000000', form: 'integer' } },
      { holder: '', place: 'property', name: 'Least', value: { text: '-2147483648', form: 'integer' } },
      { holder: '', place: 'property', name: 'Huge', value: { text: '12345678901234567890', form: 'integer' } },
    ];
    const after = changed(opc, bare, ...values);
    const custom = strFromU8(unzipSync(after)['docProps/custom.xml']!);
    expect(custom).toContain('<vt:lpwstr>_x005F_x0041_B</vt:lpwstr>');
    expect(custom).toContain('<vt:r8>3000000000</vt:r8>');
    expect(custom).toContain('<vt:i4>-2147483648</vt:i4>');
    expect(custom).toContain('<vt:lpwstr>12345678901234567890</vt:lpwstr>');
    expect(holder(opc, after).values.map((value) => value.held.text)).toEqual(['_x0041_B', '3000000000', '-2147483648', '12345678901234567890']);
  });

  it('says what is wrong with a file that is none', () => {
    expect(() => opc.read(utf8('not a zip'))).toThrow('not an Open Packaging document');
    expect(() => opc.read(zipSync({ 'a.txt': strToU8('x') }))).toThrow('not an Open Packaging document');
    expect(() => opc.read(bare.subarray(0, bare.length - 30))).toThrow('central directory');
    expect(() => opc.read(zipSync({ '[Content_Types].xml': strToU8('<Types>'), '_rels/.rels': strToU8(RELS()) }))).toThrow('not well formed');
    expect(() => opc.modify(bare, [{ holder: '', place: 'property', name: 'A', value: heldText('\u0001') }])).toThrow('control character');
    expect(() => opc.modify(bare, [{ holder: '', place: 'field', name: 'created', value: heldText('x') }])).toThrow("document's own program");
  });
});

describe('files whose name says nothing', () => {
  it('are known by their first bytes', () => {
    expect(sniffFormat(utf8('ISO-10303-21;\nHEADER;'))).toBe(step);
    expect(sniffFormat(utf8('  0\r\nSECTION\r\n  2\r\nHEADER'))).toBe(dxf);
    expect(sniffFormat(utf8('%PDF-1.7'))).toBeUndefined();
    expect(() => formatById('other')).toThrow('cannot write');
  });
  it('keep the endings of formats apart', () => {
    expect(readdirSync(folder).filter((path) => formatOf(path)?.id === 'dxf').length).toBeGreaterThan(10);
  });
});

/** A Buffer's `slice` shares memory: writing to a slice would change the input. */
it.each([
  ['library/DR-15/parts/drum.step', step],
  ['library/DR-15/assemblies/drum-unit.step', step],
  ['library/DR-15/drawings/face-plate.dxf', dxf],
  ['inherited/DR-5/drawings/F5-072.dxf', dxf],
  ['inherited/projects/Halden Mill/offer.docx', opc],
] as const)('%s: reading and changing leave the given bytes alone', (path, format) => {
  const bytes = readFileSync(join(import.meta.dirname, '../../demo', path));
  const before = Buffer.from(bytes);
  format.read(bytes);
  const edits = format.modify(bytes, [
    { holder: '', place: 'property', name: 'Description', value: heldText('something else') },
    { holder: '', place: 'property', name: 'Item no', value: null },
  ]);
  const after = Buffer.from(applyEdits(bytes, edits));
  expect(bytes.equals(before)).toBe(true);
  expect(Buffer.from(applyEdits(after, invertEdits(bytes, edits))).equals(before)).toBe(true);
  expect(after.equals(before)).toBe(false);
});
