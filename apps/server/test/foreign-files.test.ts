import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { Tray } from '@rule/contract';
import { step } from '@rule/core/files/step';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let okafor: Person;
beforeAll(async () => {
  rule = await startRule();
  okafor = await rule.signIn('okafor');
}, 120_000);
afterAll(() => rule.stop());

const part = (data: string) => `ISO-10303-21;
HEADER;
FILE_DESCRIPTION((''),'2;1');
FILE_NAME('','2026-01-01T00:00:00',(''),(''),'','','');
FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));
ENDSEC;
DATA;
${data}
ENDSEC;
END-ISO-10303-21;
`;
const product = (id: string, name = id) => `#10=PRODUCT('${id}','${name}','',());
#11=PRODUCT_DEFINITION_FORMATION('A','',#10);
#12=PRODUCT_DEFINITION('design','',#11,$);
#13=PRODUCT_DEFINITION_SHAPE('','',#12);`;
const held = (name: string, text: string) => `#20=GENERAL_PROPERTY('','${name}','user defined attribute');
#21=PROPERTY_DEFINITION('${name}','user defined attribute',#12);
#22=GENERAL_PROPERTY_ASSOCIATION('user defined attribute','',#20,#21);
#23=DESCRIPTIVE_REPRESENTATION_ITEM('${name}','${text}');
#24=REPRESENTATION('${name}',(#23),#25);
#25=REPRESENTATION_CONTEXT('','user defined attributes');
#26=PROPERTY_DEFINITION_REPRESENTATION(#21,#24);`;

describe('a survey', () => {
  it('goes on whatever one file does, and names the file', async () => {
    const write = (name: string, text: string) => writeFileSync(join(rule.library, 'DR-15/parts', name), text);
    const solids = ['tube', 'tube, body 3', 'tube'].map((name, k) => `#${30 + k}=MANIFOLD_SOLID_BREP('${name}',#99);`).join('\n');
    write('clash.step', part(`${product('CLASH')}\n${solids}\n#40=SHAPE_REPRESENTATION('',(#30,#31,#32),#99);\n#41=SHAPE_DEFINITION_REPRESENTATION(#13,#40);`));
    const long = 'x'.repeat(5000);
    write('long.step', part(`${product(long, long)}\n${held(long, long)}`));
    write('refused.step', part(`${product('REFUSED')}\n${held('Refused by the database', 'x')}`));
    write('good.step', part(`${product('GOOD')}\n${held('Material', 'C45')}`));
    // Any refusal by the database.
    await rule.db.run(`CREATE FUNCTION refuse() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RAISE EXCEPTION ''no such value'' USING ERRCODE = ''22023''; END'`);
    await rule.db.run(`CREATE TRIGGER refuse BEFORE INSERT ON held_values FOR EACH ROW WHEN (NEW.name = 'Refused by the database') EXECUTE FUNCTION refuse()`);
    const report = await rule.services.scanner.rescan();
    expect(report).toMatchObject({ added: 4, failed: [{ path: 'DR-15/parts/refused.step', message: expect.stringContaining('no such value') }] });
    const kept = await rule.db.all<{ name: string; problem: string | null; holders: number }>(
      `SELECT f.name, f.problem, (SELECT count(*)::int FROM holders h WHERE h.file_id = f.id) AS holders FROM files f
       WHERE f.name IN ('clash.step', 'long.step', 'refused.step', 'good.step') ORDER BY 1`,
    );
    expect(kept).toEqual([
      { name: 'clash.step', problem: null, holders: 4 },
      { name: 'good.step', problem: null, holders: 1 },
      { name: 'long.step', problem: null, holders: 1 },
      { name: 'refused.step', problem: expect.stringContaining('no such value'), holders: 0 },
    ]);
    await rule.db.run('DROP TRIGGER refuse ON held_values');
  });
});

describe('a copy whose product gets another id', () => {
  it('takes its other values and their undoing along', async () => {
    const { file, path, holder, id } = (await rule.db.one<{ file: number; path: string; holder: string; id: string }>(
      `SELECT v.file_id AS file, f.name AS path, v.holder, v.text AS id FROM held_values v JOIN files f ON f.id = v.file_id
       WHERE v.level = 'copy' AND v.place = 'field' AND v.name = 'product id' AND f.kind = 'assembly' ORDER BY v.file_id, v.holder LIMIT 1`,
    ))!;
    const before = rule.bytes(path);
    const typed = await okafor.post('/tray', {
      values: [{ file: await rule.file('bean-hopper.step'), property: await rule.property('Material'), text: '1.4404' }],
    });
    // Lines as made by other stations: the copy's product id, and a value of that copy.
    await rule.db.run(
      `INSERT INTO change_lines SELECT (jsonb_populate_record(l, jsonb_build_object('id', nextval('change_lines_id_seq'), 'file_id', $2::int, 'holder', $3::text, 'property_id', NULL) || n)).*
       FROM change_lines l, jsonb_array_elements($4::jsonb) n WHERE l.id = $1`,
      [
        (typed.body as Tray).lines.find((line) => line.name === 'Material')!.id,
        file,
        holder,
        JSON.stringify([
          { place: 'field', name: 'product id', base: { text: id, form: 'text' }, proposed: { text: 'RENAMED', form: 'text' } },
          { place: 'property', name: 'Note', base: null, proposed: { text: 'for test', form: 'text' } },
        ]),
      ],
    );
    await rule.db.run(`DELETE FROM change_lines WHERE file_id <> $1 AND state = 'pending'`, [file]);
    const report = await okafor.apply();
    expect(report).toMatchObject({ state: 'applied', applied: 2, failures: [] });
    const values = (key: string) =>
      step
        .read(rule.bytes(path))
        .holders.find((one) => one.key === key)
        ?.values.find((value) => value.name === 'Note' && value.place === 'property')?.held.text;
    expect(values('copy:RENAMED')).toBe('for test');
    const lines = await rule.db.all<{ holder: string }>('SELECT holder FROM change_lines WHERE change_set_id = $1', [report.changeSet]);
    expect(lines.map((line) => line.holder)).toEqual(['copy:RENAMED', 'copy:RENAMED']);
    const reverted = await okafor.revert(report.changeSet);
    expect(reverted).toMatchObject({ state: 'applied', applied: 2 });
    expect(rule.bytes(path).equals(before)).toBe(true);
  });
});
