import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { FileChange, FileError, applyEdits, invertEdits } from '../src/files';
import { decodeString, encodeString, makeEmptyStep, scanStep, step } from '../src/files/step';
import { HeldValue, UNITS, heldText } from '../src/values';
import { openMeshReader } from './outside';

const bytes = (text: string) => new Uint8Array(Buffer.from(text, 'latin1'));
const text = (b: Uint8Array) => Buffer.from(b).toString('latin1');

const file = (data: string, schema = 'AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 1 1 4 }', eol = '\n') =>
  bytes(
    `ISO-10303-21;
HEADER;
FILE_DESCRIPTION(('test'),'2;1');
FILE_NAME('part.step',/* when */'2026-01-01T00:00:00',('A. Person'),('A Company'),'','','');
FILE_SCHEMA(('${schema}'));
ENDSEC;
DATA;
${data}ENDSEC;
END-ISO-10303-21;
`.replaceAll('\n', eol),
  );

/** One product, as ISO 10303-41 requires. */
const product = (n: number, id: string) => `#${n}=PRODUCT('${id}','${id} name','',());
#${n + 1}=PRODUCT_DEFINITION_FORMATION('A','',#${n});
#${n + 2}=PRODUCT_DEFINITION('design','',#${n + 1},$);
#${n + 3}=PRODUCT_DEFINITION_SHAPE('','',#${n + 2});
`;

/** An attribute following the public recommended practice for user defined attributes. */
const attribute = (n: number, target: number, name: string, item: string) => `#${n}=GENERAL_PROPERTY('','${name}','user defined attribute');
#${n + 1}=PROPERTY_DEFINITION('${name}','user defined attribute',#${target});
#${n + 2}=GENERAL_PROPERTY_ASSOCIATION('user defined attribute','',#${n},#${n + 1});
#${n + 3}=${item};
#${n + 4}=REPRESENTATION('${name}',(#${n + 3}),#1);
#${n + 5}=PROPERTY_DEFINITION_REPRESENTATION(#${n + 1},#${n + 4});
`;

const CONTEXT = "#1=REPRESENTATION_CONTEXT('','user defined attributes');\n";
const PART = file(CONTEXT + product(10, 'P-1') + attribute(20, 12, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','S235JR')"));

const values = (b: Uint8Array, holder = '') =>
  Object.fromEntries(
    step
      .read(b)
      .holders.find((h) => h.key === holder)!
      .values.filter((v) => v.place === 'property')
      .map((v) => [v.name, v.held]),
  );
const change = (name: string, value: HeldValue | null, holder = ''): FileChange => ({ holder, place: 'property', name, value });
const changed = (b: Uint8Array, ...changes: FileChange[]) => applyEdits(b, step.modify(b, changes));

describe('strings of ISO 10303-21', () => {
  // Examples of the standard's encodings (from memory).
  it.each([
    ["can''t", "can't"],
    ['\\X\\E9', '\u00e9'],
    ['\\X2\\03A92300\\X0\\', '\u03a9\u2300'],
    ['\\X4\\0001F529\\X0\\', '\u{1F529}'],
    ['\\S\\D', '\u00c4'],
    ['\\PA\\\\S\\D', '\u00c4'],
    ['a\\\\b', 'a\\b'],
    ['C:\\temp', 'C:\\temp'],
    ['two\nlines', 'twolines'],
  ])('%j means %j', (raw, meaning) => expect(decodeString(bytes(raw))).toBe(meaning));
  it('reads raw UTF-8 and raw Latin-1, string by string', () => {
    expect(decodeString(new Uint8Array(Buffer.from('größe', 'utf8')))).toBe('größe');
    expect(decodeString(bytes('gr\u00f6\u00dfe'))).toBe('größe');
  });
  it('writes any text so that it reads back, in ASCII alone', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (s) => {
        const encoded = encodeString(s);
        expect(encoded).toMatch(/^[\x20-\x7e]*$/);
        expect(decodeString(bytes(encoded.slice(1, -1)))).toBe(s);
      }),
    );
  });
});

describe('reading', () => {
  it('finds fields, attributes and kind', () => {
    const reading = step.read(PART);
    expect(reading).toMatchObject({ kind: 'part', version: 'AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF', problems: [] });
    const fields = Object.fromEntries(reading.holders[0]!.values.filter((v) => v.place === 'field').map((v) => [v.name, v.held.text]));
    expect(fields).toEqual({
      'product id': 'P-1',
      'product name': 'P-1 name',
      'version id': 'A',
      author: 'A. Person',
      organisation: 'A Company',
      'time stamp': '2026-01-01T00:00:00',
    });
    expect(values(PART)).toEqual({ Material: heldText('S235JR') });
  });

  it.each([
    ["INTEGER_REPRESENTATION_ITEM('n',3)", { text: '3', form: 'integer' }],
    ["REAL_REPRESENTATION_ITEM('n',1.5E-7)", { text: '0.00000015', form: 'real' }],
    ["BOOLEAN_REPRESENTATION_ITEM('n',.F.)", { text: 'no', form: 'boolean' }],
    ["VALUE_REPRESENTATION_ITEM('n',COUNT_MEASURE(24.))", { text: '24', form: 'integer' }],
    ["DESCRIPTIVE_REPRESENTATION_ITEM('value')", { text: 'value', form: 'text' }],
    ["MEASURE_REPRESENTATION_ITEM('n',MASS_MEASURE(12.5),#90)", { text: '12.5', form: 'measure', unit: 'kg' }],
    ["MEASURE_REPRESENTATION_ITEM('n',LENGTH_MEASURE(2.),#94)", { text: '2', form: 'measure', unit: 'in' }],
    ["MEASURE_REPRESENTATION_ITEM('n',MASS_MEASURE(1.),#95)", { text: '1', form: 'measure', unit: 't' }],
    // Units unknown to Rule or merely similar (an avoirdupois pound is 0.45359237 kg: NIST SP 811) give no number.
    ["MEASURE_REPRESENTATION_ITEM('n',MASS_MEASURE(1.),#96)", { text: '1 hecto gram', form: 'text' }],
    ["MEASURE_REPRESENTATION_ITEM('n',MASS_MEASURE(5.),#98)", { text: '5 POUND', form: 'text' }],
    ["MEASURE_REPRESENTATION_ITEM('n',LENGTH_MEASURE(5.),#99)", { text: '5', form: 'measure', unit: 'dm' }],
  ])('%s', (item, held) => {
    const units = `#90=(MASS_UNIT()NAMED_UNIT(*)SI_UNIT(.KILO.,.GRAM.));
#91=DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.);
#92=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));
#93=LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(25.4),#92);
#94=(CONVERSION_BASED_UNIT('INCH',#93)LENGTH_UNIT()NAMED_UNIT(#91));
#95=(MASS_UNIT()NAMED_UNIT(*)SI_UNIT(.MEGA.,.GRAM.));
#96=(MASS_UNIT()NAMED_UNIT(*)SI_UNIT(.HECTO.,.GRAM.));
#97=MASS_MEASURE_WITH_UNIT(MASS_MEASURE(0.4536),#90);
#98=(CONVERSION_BASED_UNIT('POUND',#97)MASS_UNIT()NAMED_UNIT(#91));
#99=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.DECI.,.METRE.));
`;
    expect(values(file(CONTEXT + product(10, 'P-1') + units + attribute(20, 12, 'n', item)))).toEqual({ n: held });
  });

  const ASSEMBLY =
    CONTEXT +
    product(10, 'A-1') +
    product(20, 'B-1') +
    product(30, 'B-1') +
    `#40=NEXT_ASSEMBLY_USAGE_OCCURRENCE('1','left','',#12,#22,$);
#41=NEXT_ASSEMBLY_USAGE_OCCURRENCE('2','right','',#12,#22,$);
#42=NEXT_ASSEMBLY_USAGE_OCCURRENCE('3','other','',#12,#32,$);
#43=PRODUCT_DEFINITION_SHAPE('','',#40);
`;
  it('finds product structure, occurrences and the copies, with keys that differ', () => {
    const reading = step.read(
      file(
        ASSEMBLY +
          attribute(50, 43, 'Torque', "DESCRIPTIVE_REPRESENTATION_ITEM('Torque','12')") +
          attribute(60, 41, 'Torque', "DESCRIPTIVE_REPRESENTATION_ITEM('Torque','18')"),
      ),
    );
    expect(reading.kind).toBe('assembly');
    expect(reading.structure!.roots).toEqual(['A-1']);
    expect(reading.structure!.occurrences.map((o) => [o.label, o.child])).toEqual([
      ['left', 'B-1'],
      ['right', 'B-1'],
      ['other', 'B-1~2'],
    ]);
    // Attached to the occurrence's shape and to the occurrence itself.
    const torque = reading.holders.filter((h) => h.level === 'occurrence').map((h) => h.values[0]?.held.text);
    expect(torque).toEqual(['12', '18', undefined]);
  });
  it('does not take a raw material for a part', () => {
    const raw = file(`${product(10, 'P-1')}${product(20, 'BAR')}#30=PRODUCT_RELATED_PRODUCT_CATEGORY('raw material',$,(#20));\n`);
    expect(step.read(raw).structure!.products.map((p) => p.id)).toEqual(['P-1']);
  });
  it('takes several independent products for variants', () => {
    expect(step.read(file(product(10, 'P-1') + product(20, 'P-2'))).holders.map((h) => [h.level, h.key])).toEqual([
      ['document', ''],
      ['variant', 'variant:P-2'],
    ]);
  });
  it('reports a name that stands twice', () => {
    const twice = file(
      CONTEXT +
        product(10, 'P-1') +
        attribute(20, 12, 'M', "DESCRIPTIVE_REPRESENTATION_ITEM('M','a')") +
        attribute(30, 12, 'M', "DESCRIPTIVE_REPRESENTATION_ITEM('M','b')"),
    );
    expect(step.read(twice).problems.map((p) => p.code)).toEqual(['name-twice']);
    expect(values(twice)['M']!.text).toBe('a');
  });
});

describe('broken files', () => {
  const code = (b: Uint8Array) => {
    try {
      step.read(b);
      return 'read';
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
      return error.code;
    }
  };
  it('says what is wrong', () => {
    expect(code(bytes('solid cube'))).toBe('step-not');
    expect(code(bytes(''))).toBe('step-not');
    expect(code(PART.slice(0, PART.length - 30))).toBe('step-truncated');
    expect(code(bytes(text(PART).replace("'S235JR'", "'S235JR")))).toMatch(/^step-/);
    expect(code(bytes(text(PART).replace('#12=', '#12 ')))).toBe('step-syntax');
  });
  it('never does anything but read or refuse, wherever a file is cut or overwritten', () => {
    fc.assert(
      fc.property(fc.nat(PART.length), fc.uint8Array({ maxLength: 4 }), (at, junk) => {
        const broken = Uint8Array.from([...PART.slice(0, at), ...junk]);
        const overwritten = PART.slice();
        overwritten.set(junk.slice(0, Math.max(0, PART.length - at)), Math.min(at, PART.length));
        expect(code(broken)).toMatch(/^(read|step-.*)$/);
        expect(code(overwritten)).toMatch(/^(read|step-.*)$/);
      }),
      { numRuns: 300 },
    );
  });
  it('survives unit definitions that refer to themselves', () => {
    const loop = file(
      `${CONTEXT}${product(10, 'P-1')}#90=(MASS_UNIT()NAMED_UNIT(#91)SI_UNIT(.KILO.,.GRAM.));\n#91=DIMENSIONAL_EXPONENTS(#90);\n${attribute(20, 12, 'm', "MEASURE_REPRESENTATION_ITEM('m',MASS_MEASURE(1.),#90)")}`,
    );
    expect(values(changed(loop, change('m', null)))).toEqual({});
  });
});

describe('writing', () => {
  it('changes nothing but the value', () => {
    expect(text(changed(PART, change('Material', heldText("can't Ω"))))).toBe(text(PART).replace("'S235JR'", "'can''t \\X2\\03A9\\X0\\'"));
  });
  it('adds an attribute that reads back, with CRLF where the file has it', () => {
    const crlf = file(product(10, 'P-1'), 'AP242', '\r\n');
    const after = changed(crlf, change('Mass', { text: '1.5', form: 'measure', unit: 'lb' }));
    expect(values(after)).toEqual({ Mass: { text: '1.5', form: 'measure', unit: 'lb' } });
    expect(text(after).replaceAll('\r\n', '')).not.toContain('\n');
  });
  it('removes an attribute without a trace', () => {
    const before = file(CONTEXT + product(10, 'P-1'));
    const added = changed(before, change('Mass', { text: '1.5', form: 'measure', unit: 'in' }), change('Note', heldText('x')));
    expect(text(changed(added, change('Mass', null), change('Note', null)))).toBe(text(before));
  });
  it('blanks an attribute that something else refers to', () => {
    const approved = file(
      `${CONTEXT}${product(10, 'P-1')}${attribute(20, 12, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','S235JR')")}#30=APPLIED_APPROVAL_ASSIGNMENT(#31,(#21));\n`,
    );
    const after = changed(approved, change('Material', null));
    expect(values(after)).toEqual({ Material: heldText('') });
    expect(text(after)).toContain('#30=APPLIED_APPROVAL_ASSIGNMENT(#31,(#21));');
  });
  it('leaves the other attribute alone when two share an item or a representation', () => {
    const shared = file(`${CONTEXT}${product(10, 'P-1')}#20=DESCRIPTIVE_REPRESENTATION_ITEM('v','same');
#21=PROPERTY_DEFINITION('A','user defined attribute',#12);
#22=PROPERTY_DEFINITION('B','user defined attribute',#12);
#23=REPRESENTATION('',(#20),#1);
#24=PROPERTY_DEFINITION_REPRESENTATION(#21,#23);
#25=PROPERTY_DEFINITION_REPRESENTATION(#22,#23);
`);
    expect(values(changed(shared, change('A', heldText('new'))))).toEqual({ A: heldText('new'), B: heldText('same') });
    expect(values(changed(shared, change('A', null)))).toEqual({ B: heldText('same') });
  });
  it('changes and removes single values of a group', () => {
    const group = file(`${CONTEXT}${product(10, 'P-1')}#20=DESCRIPTIVE_REPRESENTATION_ITEM('A','1');
#21=DESCRIPTIVE_REPRESENTATION_ITEM('B','2');
#22=PROPERTY_DEFINITION('set','user defined attribute',#12);
#23=REPRESENTATION('set',(#20,#21),#1);
#24=PROPERTY_DEFINITION_REPRESENTATION(#22,#23);
`);
    expect(values(changed(group, change('A', heldText('x'))))).toEqual({ A: heldText('x'), B: heldText('2') });
    expect(Object.values(values(changed(group, change('A', null))))).toEqual([heldText('2')]);
    expect(values(changed(group, change('A', null), change('B', null)))).toEqual({});
  });
  it('writes at occurrence level through the shape of the occurrence', () => {
    const assembly = file(
      `${CONTEXT}${product(10, 'A-1')}${product(20, 'B-1')}#40=NEXT_ASSEMBLY_USAGE_OCCURRENCE('1','left','',#12,#22,$);\n#43=PRODUCT_DEFINITION_SHAPE('','',#40);\n`,
    );
    const key = 'occurrence:A-1/1';
    const after = changed(assembly, change('Torque', { text: '12', form: 'measure', unit: 'N·m' }, key));
    expect(values(after, key)).toEqual({ Torque: { text: '12', form: 'measure', unit: 'N·m' } });
    expect(text(after)).toContain("PROPERTY_DEFINITION('Torque','user defined attribute',#43)");
  });
  it('writes only items that the schema of the file has', () => {
    const ap214 = file(product(10, 'P-1'), 'AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }');
    const after = changed(
      ap214,
      change('n', { text: '3', form: 'integer' }),
      change('b', { text: 'yes', form: 'boolean' }),
      change('r', { text: '1.5', form: 'real' }),
    );
    expect(text(after)).not.toMatch(/INTEGER_REP|BOOLEAN_REP|REAL_REP/);
    expect(values(after)).toEqual({ n: { text: '3', form: 'integer' }, b: heldText('yes'), r: { text: '1.5', form: 'real' } });
  });
  it('changes the own fields of the file', () => {
    const after = changed(
      PART,
      { holder: '', place: 'field', name: 'product name', value: heldText('Plate') },
      { holder: '', place: 'field', name: 'author', value: heldText('B') },
    );
    expect(
      step
        .read(after)
        .holders[0]!.values.filter((v) => v.name === 'product name' || v.name === 'author')
        .map((v) => v.held.text),
    ).toEqual(['Plate', 'B']);
  });
  it('refuses what it cannot write, and says why', () => {
    expect(() => step.modify(PART, [change('M', { text: '1', form: 'measure', unit: 'parsec' })])).toThrow('cannot carry the unit parsec');
    expect(() => step.modify(PART, [change('M', heldText('1'), 'occurrence:none')])).toThrow('no occurrence:none');
    expect(() => step.modify(PART, [change('M', heldText('1')), change('M', heldText('2'))])).toThrow('twice');
    expect(() => step.modify(file("#1=CARTESIAN_POINT('',(0.,0.,0.));\n"), [change('M', heldText('1'))])).toThrow('no product');
  });

  const held: fc.Arbitrary<HeldValue> = fc.oneof(
    fc.string({ unit: 'grapheme' }).map(heldText),
    fc.integer().map((n) => ({ text: String(n), form: 'integer' as const })),
    fc.boolean().map((b) => ({ text: b ? 'yes' : 'no', form: 'boolean' as const })),
    fc
      .tuple(fc.double({ min: -1e9, max: 1e9, noNaN: true }), fc.constantFrom('mm', 'in', 'kg', 'lb', 'h', 'N·m', 'lbf·ft'))
      .map(([n, unit]) => ({ text: String(Math.round(n * 1e6) / 1e6 || 0), form: 'measure' as const, unit })),
  );
  it('is undone to the byte by the inverse edits, whatever was written', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string({ minLength: 1 }), fc.option(held), { maxKeys: 5, noNullPrototype: true }), fc.option(held), (entries, material) => {
        const changes = [
          ...Object.entries(entries)
            .filter(([name]) => name !== 'Material')
            .map(([name, value]) => change(name, value)),
          change('Material', material),
        ];
        const edits = step.modify(PART, changes);
        const after = applyEdits(PART, edits);
        for (const { name, value } of changes) if (value) expect(values(after)[name]).toEqual(value);
        expect(applyEdits(after, invertEdits(PART, edits))).toEqual(PART);
      }),
    );
  });
});

describe('edits', () => {
  it('refuse to overlap', () => {
    const edit = { offset: 0, length: 2, insert: bytes('x') };
    expect(() => applyEdits(bytes('abc'), [edit, { ...edit, offset: 1 }])).toThrow(RangeError);
    expect(() => applyEdits(bytes('abc'), [{ ...edit, offset: 2 }])).toThrow(RangeError);
  });
});

describe('the index', () => {
  it('covers every instance with its span', () => {
    const index = scanStep(PART, ['PRODUCT']);
    expect([...index.ids]).toEqual([1, 10, 11, 12, 13, 20, 21, 22, 23, 24, 25]);
    for (let k = 0; k < index.ids.length; k++) expect(text(PART.slice(index.starts[k], index.ends[k]))).toMatch(new RegExp(`^#${index.ids[k]}=.*;$`));
  });

  const exchange = (data: string) => bytes(`ISO-10303-21;HEADER;FILE_NAME('n','',(''),(''),'','','');ENDSEC;DATA;${data}ENDSEC;END-ISO-10303-21;`);
  const found = (data: string, wanted: readonly string[]) => {
    const index = scanStep(exchange(data), wanted);
    return Object.fromEntries([...index.byType].map(([name, at]) => [name, at.map((position) => index.ids[position])]));
  };

  it('tells a name from longer and shorter ones, in either case, with blanks and comments around it', () => {
    expect(
      found("#1=PRODUCT('');#2 = product /* a; 'b' */ ('');#3=PRODUCT_DEFINITION('');#4=PROD();#5= /*;*/ (A()B());\n#6=\tProduct\n('');", [
        'PRODUCT',
        'PRODUCT_DEFINITION',
      ]),
    ).toEqual({ PRODUCT: [1, 2, 6], PRODUCT_DEFINITION: [3], '': [5] });
  });

  it('takes a name for what it is that has the hash of another', () => {
    // 'Aa' and 'BB' are the textbook collision of a hash by 31; in capitals 'AP' and 'B1' collide.
    expect(found('#1=AP();#2=B1();#3=APX();#4=B1X();#5=C1();', ['B1', 'AP'])).toEqual({ AP: [1], B1: [2], '': [] });
  });

  it('finds instances by id in whatever order they stand', () => {
    for (const ids of [[1, 5, 900], [900, 1, 5], [7], [1_999_999_999, 12, 1_000_000_000], []]) {
      const index = scanStep(exchange(ids.map((id) => `#${id}=A();`).join('')), []);
      expect(ids.map(index.position)).toEqual(ids.map((_, k) => k));
      for (const id of [0, 2, 899, 901]) expect(index.position(id)).toBeUndefined();
    }
  });

  it('says where a text, a comment or a statement is left open', () => {
    const code = (data: string) => {
      try {
        scanStep(bytes(`ISO-10303-21;DATA;${data}`), []);
        return undefined;
      } catch (error) {
        const { code, message, offset } = error as FileError;
        return [code, message, offset];
      }
    };
    expect(code("#1=A('open);ENDSEC;")).toEqual(['step-truncated', 'A text is not closed.', 23]);
    expect(code('#1=A(/* open);ENDSEC;')).toEqual(['step-truncated', 'A comment is not closed.', 23]);
    expect(code('#1=A(')).toEqual(['step-truncated', 'The file ends in the middle of a statement.', 21]);
    expect(code('#1=A();ENDSEC;')).toEqual(['step-truncated', 'The file ends before END-ISO-10303-21.', 32]);
  });

  it('finds every end in statements of all kinds, however large the file', () => {
    // Does not end a statement: characters inside strings and comments, doubled apostrophes.
    const piece = fc.constantFrom(
      "'a;b'",
      "''",
      "'it''s;'",
      "'/*'",
      '/* ; */',
      "/* ' */",
      '/**/',
      '1.5E-3',
      '#7',
      '(',
      ')',
      ',',
      ' ',
      '\n',
      '/',
      '*',
      "'\u00e9;'",
    );
    fc.assert(
      fc.property(
        fc.array(fc.array(piece, { maxLength: 12 }), { minLength: 1, maxLength: 30 }),
        fc.nat({ max: 3000 }),
        fc.constantFrom(0, 1, 40, 9000, 600_000),
        (statements, filler, longest) => {
          const right = statements.map((pieces) => `A(${pieces.join(' ')})`);
          // The filler moves statements across the step boundaries: 8192 instances, 256 KiB.
          const room = longest === 0 ? 8192 * 7 + filler : 262_144 - 3000 + filler;
          const fill = longest === 0 ? '#1=A();' : `#1=A('${'x'.repeat(longest)}');`;
          const fills = Math.max(1, Math.floor(room / fill.length));
          const data = `${fill.repeat(fills)}${right.map((text, k) => `#${k + 2}=${text};`).join('\n')}`;
          const file = exchange(data);
          const index = scanStep(file, ['A']);
          expect(index.ids.length).toBe(fills + right.length);
          expect([...index.ids.subarray(fills)]).toEqual(right.map((_, k) => k + 2));
          expect(index.ids.subarray(0, fills).every((id) => id === 1)).toBe(true);
          expect(right.map((_, k) => text(file.slice(index.starts[fills + k], index.ends[fills + k])))).toEqual(right.map((entry, k) => `#${k + 2}=${entry};`));
          expect(right.map((_, k) => text(file.slice(index.rights[fills + k], index.ends[fills + k])))).toEqual(right.map((entry) => `${entry};`));
          expect(index.byType.get('A')).toHaveLength(index.ids.length);
          expect(index.maxId).toBe(right.length + 1);
        },
      ),
      { numRuns: 60 },
    );
  });
});

describe('an external reference', () => {
  const source = file(
    `${product(1, 'UNIT')}${product(11, 'LID')}#21=NEXT_ASSEMBLY_USAGE_OCCURRENCE('1','Lid','',#3,#13,$);
#22=DOCUMENT_FILE('parts/lid.step','',$,#23,'',$);
#23=DOCUMENT_TYPE('geometry');
#24=APPLIED_DOCUMENT_REFERENCE(#22,'',(#13));
`,
  );
  it('is a field of the copy, and can be written like one', () => {
    const reading = step.read(source);
    const holder = reading.holders.find((candidate) => candidate.level === 'copy')!;
    expect(holder.values).toContainEqual({ place: 'field', name: 'external file', held: heldText('parts/lid.step') });
    const edits = step.modify(source, [{ holder: holder.key, place: 'field', name: 'external file', value: heldText("parts/cover's.step") }]);
    const after = applyEdits(source, edits);
    expect(step.read(after).structure!.products.map((entry) => entry.externalFile)).toEqual([null, "parts/cover's.step"]);
    expect(text(applyEdits(after, invertEdits(source, edits)))).toBe(text(source));
  });
  it('is no field of a part that has none', () => {
    expect(() => step.modify(source, [{ holder: '', place: 'field', name: 'external file', value: heldText('x') }])).toThrow(FileError);
  });
});

describe('units', () => {
  it.each(UNITS.map((unit) => unit.code))('%s is written and read back, and stands as a measure', (unit) => {
    for (const schema of ['AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF', 'AUTOMOTIVE_DESIGN']) {
      const after = changed(file(CONTEXT + product(10, 'P-1'), schema), change('n', { text: '2.5', form: 'measure', unit }));
      expect(values(after)).toEqual({ n: { text: '2.5', form: 'measure', unit } });
      expect(step.read(after).problems).toEqual([]);
    }
  });
  it('says so where a unit is unknown', () => {
    const stones = `#90=(MASS_UNIT()NAMED_UNIT(*)SI_UNIT(.KILO.,.GRAM.));
#91=MASS_MEASURE_WITH_UNIT(MASS_MEASURE(6.35),#90);
#92=DIMENSIONAL_EXPONENTS(0.,1.,0.,0.,0.,0.,0.);
#93=(CONVERSION_BASED_UNIT('STONE',#91)MASS_UNIT()NAMED_UNIT(#92));
`;
    const reading = step.read(
      file(CONTEXT + product(10, 'P-1') + stones + attribute(20, 12, 'Mass', "MEASURE_REPRESENTATION_ITEM('Mass',MASS_MEASURE(2.),#93)")),
    );
    expect(reading.problems).toEqual([expect.objectContaining({ code: 'unit', message: expect.stringMatching(/"Mass".*"STONE"/) })]);
  });
});

describe('texts that other programs can read', () => {
  const german = 'Gehäusedeckel für Prüfstände, größer als üblich. ';
  it('are written with their escaped runs merged, and read back', () => {
    const long = german.repeat(50);
    const encoded = encodeString(long);
    expect(decodeString(bytes(encoded.slice(1, -1)))).toBe(long);
    // Each umlaut alone would take its own run: 12 bytes plus what is between.
    expect(encodeString('äöü').length).toBe("'\\X2\\00E400F600FC\\X0\\'".length);
    expect(encodeString('äaö')).toBe("'\\X2\\00E4006100F6\\X0\\'");
    expect(encodeString('äabcö')).toBe("'\\X2\\00E4\\X0\\abc\\X2\\00F6\\X0\\'");
  });
  it('are refused where they are longer than other programs take, and the file stays readable up to there', async () => {
    const meshes = await openMeshReader();
    const base = makeEmptyStep({ kind: 'part', id: 'P-1', name: 'P-1', at: '2026-01-01T00:00:00', organisation: '', unit: 'mm' });
    const most = 15_998;
    const after = changed(base, change('Note', heldText('x'.repeat(most))));
    expect(values(after)['Note']!.text).toHaveLength(most);
    expect(() => meshes(after)).not.toThrow();
    expect(() => changed(base, change('Note', heldText('x'.repeat(most + 1))))).toThrow(/Note takes 16001 bytes .* up to 16000/);
    expect(() => changed(base, change('Note', heldText('ß'.repeat(4000))))).toThrow(FileError);
    expect(() => changed(base, { holder: '', place: 'field', name: 'product name', value: heldText('x'.repeat(20_000)) })).toThrow(FileError);
  });
});

describe('files that try the reader', () => {
  it('may have sections of edition 3 beside their data, and numbers beyond 2³¹', () => {
    const source = bytes(
      `ISO-10303-21;
HEADER;
FILE_DESCRIPTION((),'4;1');
FILE_NAME('part.step','2026-01-01T00:00:00',(''),(''),'','','');
FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));
ENDSEC;
ANCHOR;
<part>=#4000000012;
<it's;not#1>=#4000000010{role:'the; part'};
ENDSEC;
REFERENCE;
#4000000090=<other.stp#bolt;1>;
#LABEL=<http://example.org/a'b>;
ENDSEC;
DATA;
${CONTEXT}${product(4_000_000_010, 'P-1')}#4000000020=SOMETHING(#4000000090,@12,#LABEL);
${attribute(4_000_000_030, 4_000_000_012, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','S235JR')")}ENDSEC;
END-ISO-10303-21;
`,
    );
    expect(values(source)).toEqual({ Material: heldText('S235JR') });
    const after = changed(source, change('Colour', heldText('red')), change('Material', null));
    expect(values(after)).toEqual({ Colour: heldText('red') });
    // New instances get ids above all existing ones, including referenced ones.
    expect(text(after)).toContain("#4000000091=GENERAL_PROPERTY('','Colour','user defined attribute');");
    expect(text(after)).toContain('#4000000090=<other.stp#bolt;1>;');
  });
  it('may not have numbers that cannot be told apart', () => {
    expect(() => step.read(file('#99999999999999999=PRODUCT($,$,$,$);\n'))).toThrow(/instance number is greater/);
  });
  it('may hold a property twice: the first counts, and removing it removes all', () => {
    const twice = file(
      CONTEXT +
        product(10, 'P-1') +
        attribute(20, 12, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','S235JR')") +
        attribute(30, 12, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','C45')"),
    );
    expect(values(twice)).toEqual({ Material: heldText('S235JR') });
    expect(step.read(twice).problems.map((problem) => problem.code)).toEqual(['name-twice']);
    const after = changed(twice, change('Material', null));
    expect(values(after)).toEqual({});
    expect(text(after)).not.toContain('C45');
  });
  it('may define one version of a product twice: it is one holder', () => {
    const views = file(
      `${CONTEXT}${product(10, 'P-1')}#16=PRODUCT_DEFINITION('manufacturing','',#11,$);
${attribute(20, 16, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','S235JR')")}`,
    );
    expect(step.read(views).holders.map((holder) => holder.key)).toEqual(['']);
    expect(values(views)).toEqual({ Material: heldText('S235JR') });
    const after = changed(views, { holder: '', place: 'field', name: 'product id', value: heldText('P-2') }, change('Material', heldText('C45')));
    expect(step.read(after).structure!.roots).toEqual(['P-2']);
    expect(values(after)).toEqual({ Material: heldText('C45') });
  });
  it('may hold two versions of one product, whose id is one and the same', () => {
    const versions = file(`${CONTEXT}${product(10, 'P-1')}#21=PRODUCT_DEFINITION_FORMATION('B','',#10);
#22=PRODUCT_DEFINITION('design','',#21,$);
`);
    const id = (holder: string, value: string) => ({ holder, place: 'field', name: 'product id', value: heldText(value) }) as const;
    expect(step.read(versions).holders.map((holder) => holder.key)).toEqual(['', 'variant:P-1~2']);
    expect(step.read(changed(versions, id('', 'P-2'), id('variant:P-1~2', 'P-2'))).structure!.roots).toEqual(['P-2', 'P-2~2']);
    expect(() => changed(versions, id('', 'P-2'), id('variant:P-1~2', 'P-3'))).toThrow(/two different values/);
  });
  it('may have solids whose names clash with the ones they are given', () => {
    const solids = ['tube', 'tube, body 3', 'tube'].map((name, k) => `#${30 + k}=MANIFOLD_SOLID_BREP('${name}',#99);\n`).join('');
    const body = file(`${product(10, 'P-1')}${solids}#40=SHAPE_REPRESENTATION('',(#30,#31,#32),#99);
#41=SHAPE_DEFINITION_REPRESENTATION(#13,#40);
`);
    expect(
      step
        .read(body)
        .holders.filter((holder) => holder.level === 'body')
        .map((holder) => holder.key),
    ).toEqual(['body:P-1/tube', 'body:P-1/tube, body 3', 'body:P-1/tube, body 3~2']);
  });
  it('may have ids and names that are too long for a key: keys are cut and stay apart, names are a remark', () => {
    const long = 'x'.repeat(5000);
    const reading = step.read(
      file(
        `${CONTEXT}${product(10, `${long}1`)}${product(20, `${long}2`)}${attribute(30, 12, long, `DESCRIPTIVE_REPRESENTATION_ITEM('${long}','S235JR')`)}${attribute(40, 12, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','C45')")}`,
      ),
    );
    const keys = reading.holders.map((holder) => holder.key);
    expect(new Set(keys).size).toBe(2);
    expect(Math.max(...keys.map((key) => key.length))).toBeLessThan(420);
    expect(reading.holders[0]!.values.filter((value) => value.place === 'property').map((value) => value.name)).toEqual(['Material']);
    expect(reading.problems).toEqual([expect.objectContaining({ code: 'name-long', message: expect.stringMatching(/5000 characters, "xxx/) })]);
  });
});

describe('holders follow their product', () => {
  const assembly = file(
    `${CONTEXT}${product(10, 'UNIT')}${product(20, 'BOLT')}#30=NEXT_ASSEMBLY_USAGE_OCCURRENCE('1','Bolt 1','',#12,#22,$);
${attribute(40, 22, 'Material', "DESCRIPTIVE_REPRESENTATION_ITEM('Material','S235JR')")}${attribute(50, 30, 'Position', "DESCRIPTIVE_REPRESENTATION_ITEM('Position','left')")}`,
  );
  it('when its id is changed together with its values', () => {
    const after = changed(
      assembly,
      { holder: 'copy:BOLT', place: 'field', name: 'product id', value: heldText('SCREW') },
      change('Material', heldText('8.8'), 'copy:BOLT'),
      { holder: '', place: 'field', name: 'product id', value: heldText('FRAME') },
    );
    expect(values(after, 'copy:SCREW')).toEqual({ Material: heldText('8.8') });
    expect([...step.movedHolders!(assembly, after)]).toEqual([
      ['copy:BOLT', 'copy:SCREW'],
      ['occurrence:UNIT/1', 'occurrence:FRAME/1'],
    ]);
    expect([...step.movedHolders!(assembly, changed(assembly, change('Material', heldText('8.8'), 'copy:BOLT')))]).toEqual([]);
  });
});

describe('twenty thousand occurrences', () => {
  const COUNT = 20_000;
  it('are read and written in a time that grows with their number, not with its square', () => {
    const make = (count: number) =>
      file(
        `${CONTEXT}${product(10, 'UNIT')}${product(20, 'BOLT')}${Array.from({ length: count }, (_, k) => `#${30 + k}=NEXT_ASSEMBLY_USAGE_OCCURRENCE('B','Bolt','',#12,#22,$);\n`).join('')}`,
      );
    const work = (count: number) => {
      const source = make(count);
      const started = performance.now();
      const occurrences = step.read(source).structure!.occurrences;
      const after = changed(source, ...occurrences.map(({ key }, k) => change('Position', heldText(String(k)), key)));
      const read = step.read(after);
      return { time: performance.now() - started, read };
    };
    const small = Math.min(...[0, 1, 2].map(() => work(COUNT / 10).time));
    const { time, read } = work(COUNT);
    expect(read.holders.filter((holder) => holder.values.some((value) => value.name === 'Position'))).toHaveLength(COUNT);
    // Linear time: ten times as much takes about ten times as long, not a hundred.
    expect(time / small).toBeLessThan(40);
  });
});
