import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { DraftView, FillData, SavedForm, ValueSetRow } from '@rule/contract';
import { Filling, editKey, planSections, unpackFill } from '@rule/core/forms';
import { EntryForm, PreparedSchema, groundOn, newDraft, newInput } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
beforeAll(async () => {
  rule = await startRule();
  [varga, okafor] = await Promise.all([rule.signIn('varga'), rule.signIn('okafor')]);
  for (const form of (await rule.services.editions.inForce(rule.db)).schema.forms) await rule.services.editions.removeForm(null, form.id);
  await rule.define({ ...newDraft('Client'), kinds: ['part'], feed: 'inherited', inheritFrom: 'project' }, { ...newDraft('Weld class'), kinds: ['part'] });
});
afterAll(() => rule.stop());

const properties = () => rule.services.properties.list(rule.db);
const formOf = async (name: string, kinds: EntryForm['kinds'], names: readonly string[]): Promise<Omit<EntryForm, 'id'>> => {
  const all = await properties();
  const inputs = names.map((written, i) =>
    newInput(
      `i${i}`,
      all.find((property) => property.writtenName === written)!,
    ),
  );
  return { name, kinds, classes: [], panels: [{ key: 'p', title: 'Identity', shownWhen: '', inputs }] };
};
const save = (body: SavedForm) => varga.put('/schema/draft/forms', body);
const open = async (choice: object) => (await okafor.post('/fill', choice).expect(200)).body as FillData;

describe('forms', () => {
  it('are laid out in the draft, and are in use when it comes into force', async () => {
    const form = await formOf('Part', ['part'], ['Description', 'Make or buy', 'Client']);
    const { id } = (await save({ id: null, form, base: null }).expect(200)).body as { id: number };
    await save({ id: null, form, base: null }).expect(409);
    await okafor.put('/schema/draft/forms', { id: null, form: { ...form, name: 'Mine' }, base: null }).expect(403);
    const drum = await rule.file('parts/drum.step');
    expect((await open({ files: [drum] })).schema.forms).toEqual([]);
    const draft = (await varga.get('/schema/draft')).body as DraftView;
    expect(draft.changes.map((change) => change.type)).toEqual(['form added']);
    // Required properties without a form are reported but do not block.
    expect(draft.problems.filter((problem) => problem.code === 'not-asked').map((problem) => problem.subject)).toContain('Part number');
    await varga.post('/schema/draft/in-force', { note: 'forms', revision: draft.revision }).expect(200);
    expect((await open({ files: [drum] })).schema.forms.map((entry) => [entry.id, entry.name])).toEqual([[id, 'Part']]);
  });

  it('of two people who change other parts of one both stay; contradictions are named', async () => {
    const { forms } = ((await varga.get('/schema/draft')).body as DraftView).schema;
    const { id, ...base } = forms[0]!;
    await save({ id, form: { ...base, name: 'Part form' }, base }).expect(200);
    await save({ id, form: { ...base, classes: ['made part'] }, base }).expect(200);
    const both = ((await varga.get('/schema/draft')).body as DraftView).schema.forms[0]!;
    expect([both.name, both.classes]).toEqual(['Part form', ['made part']]);
    const answer = await save({ id, form: { ...base, name: 'Something else' }, base }).expect(409);
    expect((answer.body as { code: string }).code).toBe('changed-by-both');
    await varga.delete('/schema/draft').expect(200);
  });

  it('travel with the schema by written names', async () => {
    const json = (await varga.get('/schema/document.json').expect(200)).body as { 'x-rule': { forms: { panels: { inputs: { property: string }[] }[] }[] } };
    expect(json['x-rule'].forms[0]!.panels[0]!.inputs.map((input) => input.property)).toEqual(['Description', 'Make or buy', 'Client']);
    await varga.upload('/schema/draft/document', 'schema.json', Buffer.from(JSON.stringify(json))).expect(200);
    expect(((await varga.get('/schema/draft')).body as DraftView).changes).toEqual([]);
    await varga.delete('/schema/draft');
  });

  it('do not keep a property from being retired, and say so', async () => {
    const id = await rule.property('Weld class');
    const form = await formOf('Welds', ['part'], ['Weld class']);
    await save({ id: null, form, base: null }).expect(200);
    await rule.amend('Weld class', { retired: true });
    const data = await open({ files: [await rule.file('parts/drum.step')] });
    expect(data.schema.properties.find((property) => property.id === id)!.retired).toBe(true);
    const draft = (await varga.get('/schema/draft')).body as DraftView;
    expect(draft.problems.filter((problem) => problem.code === 'retired')).toMatchObject([{ severity: 'warning', subject: 'Welds' }]);
  });
});

describe('files to fill in', () => {
  it('are chosen by number, by filter, or out of an assembly with classes left out', async () => {
    const by = async (choice: object) => (await open(choice)).packed.files.map((file) => file.path);
    expect(await by({ files: [await rule.file('parts/drum.step')] })).toEqual(['DR-15/parts/drum.step']);
    expect((await by({ filter: { folder: 'DR-15/parts' } })).every((path) => path.startsWith('DR-15/parts/'))).toBe(true);
    const roaster = await rule.file('roaster.step');
    const direct = await by({ assembly: { file: roaster, deep: false } });
    const deep = await by({ assembly: { file: roaster, deep: true } });
    expect(deep.length).toBeGreaterThan(direct.length);
    expect(deep).toContain('DR-15/parts/drum.step');
    const { packed, leftOut } = await open({ assembly: { file: roaster, deep: true }, without: ['bought part'] });
    expect(packed.files.every((file) => file.className !== 'bought part')).toBe(true);
    expect(leftOut).toEqual([{ class: 'bought part', files: deep.length - packed.files.length }]);
    await okafor.post('/fill', { files: [999_999] }).expect(404);
    await okafor.post('/fill', { files: [1], filter: {} }).expect(400);
    await okafor.post('/fill', { assembly: { file: await rule.file('parts/drum.step'), deep: true } }).expect(422);
  });

  it('come with everything that the page needs to work out what would be written', async () => {
    const choice = { filter: { folder: 'DR-15/parts', kind: 'part' } };
    const data = await open(choice);
    const { files, wides } = unpackFill(data.packed);
    const schema = new PreparedSchema(data.schema, groundOn(compileStandIns([]), data.lists, data.states, 0));
    const sections = planSections(files, data.schema.forms, data.schema.properties, 'shared');
    const filling = new Filling(sections, wides, schema, 'editor');
    const making = await rule.property('Make or buy');
    const input = sections[0]!.form.panels[0]!.inputs.find((entry) => entry.property === making)!;
    const { values, panels } = filling.view(new Map([[editKey(sections[0]!.key, input.key, ''), 'bought']]), new Map());
    const stored = await rule.db.all<{ file: number; text: string }>(
      `SELECT f.id AS file, coalesce(v.text, '') AS text FROM files f LEFT JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = 'property' AND v.name = 'Make or buy'
       WHERE f.folder = 'DR-15/parts' AND f.kind = 'part' AND f.lock_reason IS NULL AND NOT f.removed AND coalesce(v.text, '') <> 'bought'`,
    );
    expect(values.map((value) => value.file).sort()).toEqual(stored.map((row) => row.file).sort());
    expect(panels[0]!.inputs.find((entry) => entry.property.id === making)!.rows[0]!.changes).toBe(values.length);
    expect(files.filter((file) => file.lock !== null).map((file) => file.name)).toEqual(['chimney-stub.step']);
    const answer = await okafor.post('/tray', { values, reason: 'filled in' }).expect(200);
    expect((answer.body as { counts: { lines: number } }).counts.lines).toBe(values.length);
    await okafor.post('/tray/drop', { lines: 'all' });
  });

  it('show single occurrences with the parts behind them', async () => {
    const form = await formOf('Assembly', ['assembly'], ['Description', 'Tightening torque']);
    await save({ id: null, form, base: null }).expect(200);
    await rule.services.editions.bringIntoForce(null, 'forms', null);
    const { files } = unpackFill((await open({ files: [await rule.file('drum-unit.step')] })).packed);
    const bearings = files[0]!.holders.filter((holder) => holder.part?.name === 'drum-bearing.step');
    expect(bearings).toHaveLength(2);
    expect(new Set(files[0]!.holders.map((holder) => holder.level))).toEqual(new Set(['occurrence']));
  });
});

describe('what a person keeps', () => {
  it('are sets of values, shared or not, and what is kept at hand', async () => {
    const property = await rule.property('Description');
    const body = { name: 'Sheet part', shared: false, values: [{ property, text: 'Cover' }] };
    await okafor.post('/fill/sets', body).expect(200);
    expect((await varga.get('/fill/sets')).body).toEqual([]);
    const [row] = (await okafor.post('/fill/sets', { ...body, shared: true }).expect(200)).body as ValueSetRow[];
    expect((await varga.get('/fill/sets')).body).toMatchObject([{ name: 'Sheet part', mine: false, values: body.values }]);
    // Others can see it; its owner or an administrator removes it.
    await (await rule.signIn('lindqvist')).delete(`/fill/sets/${row!.id}`).expect(404);
    await okafor.delete(`/fill/sets/${row!.id}`).expect(200);
    await okafor.post('/fill/at-hand', { property, text: 'Cover', on: true }).expect(200);
    const drum = { files: [await rule.file('parts/drum.step')] };
    expect((await open(drum)).atHand).toEqual([{ property, text: 'Cover' }]);
    await okafor.post('/fill/at-hand', { property, text: 'Cover', on: false }).expect(200);
    expect((await open(drum)).atHand).toEqual([]);
    await okafor.post('/fill/at-hand', { property: 99_999, text: 'x', on: true }).expect(404);
  });
});
