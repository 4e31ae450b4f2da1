import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { Property, newDraft } from '@rule/core/schema';
import { addInputs, addPanel, changeInput, emptyForm, freshKey, moveInput, movePanel, removeAt, step } from './layout';

const property = (id: number): Property => ({ ...newDraft(`P${id}`), id, retired: false });
const filled = () => {
  const { form: two, key } = addPanel(addInputs(emptyForm('Part'), 'p1', [1, 2, 3].map(property), 0).form, 1);
  return addInputs(two, key, [property(4)], 0).form;
};
const shape = (form: ReturnType<typeof emptyForm>) => form.panels.map((panel) => panel.inputs.map((input) => input.property));

describe('laying out a form', () => {
  it('adds inputs and panels under keys of their own', () => {
    const form = filled();
    expect(shape(form)).toEqual([[1, 2, 3], [4]]);
    const keys = form.panels.flatMap((panel) => [panel.key, ...panel.inputs.map((input) => input.key)]);
    expect(new Set(keys).size).toBe(keys.length);
    expect(keys).not.toContain(freshKey(form, 'i'));
    expect(shape(addInputs(form, 'p1', [property(8), property(9)], 1).form)).toEqual([[1, 8, 9, 2, 3], [4]]);
  });
  it('moves an input step by step, from panel to panel, and stops at the ends', () => {
    let form = filled();
    const key = form.panels[0]!.inputs[2]!.key;
    form = step(form, { panel: 'p1', input: key }, 1);
    expect(shape(form)).toEqual([
      [1, 2],
      [3, 4],
    ]);
    form = step(form, { panel: 'p2', input: key }, -1);
    expect(shape(form)).toEqual([[1, 2, 3], [4]]);
    const first = form.panels[0]!.inputs[0]!.key;
    expect(step(form, { panel: 'p1', input: first }, -1)).toBe(form);
  });
  it('moves panels, changes and removes', () => {
    const form = filled();
    expect(step(form, { panel: 'p2', input: null }, -1).panels.map((panel) => panel.key)).toEqual(['p2', 'p1']);
    expect(movePanel(form, 0, 1).panels.map((panel) => panel.key)).toEqual(['p2', 'p1']);
    expect(addPanel(form, 1).form.panels.map((panel) => panel.key)).toEqual(['p1', 'p3', 'p2']);
    expect(removeAt(form, { panel: 'p1', input: null }).panels).toHaveLength(1);
    const key = form.panels[0]!.inputs[1]!.key;
    expect(shape(removeAt(form, { panel: 'p1', input: key }))).toEqual([[1, 3], [4]]);
    expect(changeInput(form, { panel: 'p1', input: key }, { width: 4 }).panels[0]!.inputs[1]!.width).toBe(4);
  });
  it('loses and doubles nothing, wherever inputs are dragged', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(3), fc.constantFrom('p1', 'p2'), fc.nat(5)), { maxLength: 20 }), (moves) => {
        let form = filled();
        const keys = form.panels.flatMap((panel) => panel.inputs.map((input) => input.key));
        for (const [which, panel, at] of moves) form = moveInput(form, keys[which]!, panel, at);
        expect(form.panels.flatMap((panel) => panel.inputs.map((input) => input.key)).sort()).toEqual([...keys].sort());
      }),
    );
  });
});
