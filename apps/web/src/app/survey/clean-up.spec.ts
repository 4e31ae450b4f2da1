import { describe, expect, it } from '@jest/globals';
import { CleanUpPreview, CleanUpRequest } from '@rule/contract';
import { CleanUp } from '@rule/core/survey';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { CleanUpDialog, titleOf } from './clean-up';

const preview: CleanUpPreview = {
  lines: 3,
  files: 2,
  going: 1,
  clashes: 1,
  clashSample: [
    {
      file: 7,
      path: 'parts/arm.step',
      holder: '',
      values: [
        { name: 'Descr', text: 'Arm' },
        { name: 'Description', text: 'Mixing arm' },
      ],
    },
  ],
  leftOut: 1,
  leftOutSample: [{ file: 8, path: 'parts/rod.step', holder: '', name: 'Descr', text: 'n/a', message: 'is a stand-in.' }],
  skipped: [{ file: 9, path: 'parts/old.step', message: 'is released in the vault.' }],
  violations: 1,
  violationSample: [{ file: 7, path: 'parts/arm.step', name: 'Description', message: 'is longer than 40.' }],
  sample: [{ file: 7, path: 'parts/arm.step', holder: '', name: 'Descr', before: 'Arm', after: null }],
};
const merge: CleanUp = { do: 'merge', names: ['Descr', 'descr.'], to: 'Description', clash: 'ask' };

describe('a clean-up', () => {
  const body = () => document.body.textContent.replace(/\s+/g, ' ');
  const wait = async (stage: Stage) => {
    await stage.rested();
  };
  const staged = async (action: CleanUp, more: object = {}, role = 'editor'): Promise<Stage> => {
    const stage = new Stage({ previewCleanUp: preview, cleanUp: { lines: 3 }, ...more }, { role });
    await stage.show(CleanUpDialog, { action, filter: { folder: 'parts' }, scope: 'Over 40 files in parts.', known: ['Description'] });
    await wait(stage);
    return stage;
  };
  const asked = (stage: Stage, name = 'previewCleanUp') => stage.last(name)![0] as CleanUpRequest;

  it('is called after what it does', () => {
    const actions: CleanUp[] = [
      merge,
      { ...merge, names: ['Descr'] },
      { do: 'case', name: 'Material', style: 'upper' },
      { do: 'trim', name: 'Material' },
      { do: 'replace', name: 'Material', values: ['Steel'], by: 'S235JR' },
      { do: 'replace', name: 'Material', values: ['Steel', 'steel'], by: 'S235JR' },
      { do: 'split', name: 'Size', separator: 'x', into: ['Width', 'Height'] },
      { do: 'join', names: ['A', 'B'], separator: ' ', to: 'C' },
      { do: 'convert', name: 'Mass', unit: 'kg' },
      { do: 'remove', names: ['Foo'] },
      { do: 'remove', names: ['Foo', 'Bar'] },
    ] as CleanUp[];
    expect(actions.map(titleOf)).toEqual([
      'Merge 2 names into one',
      'Rename Descr',
      'Change the case of Material',
      'Trim Material',
      'Replace a value of Material',
      'Replace 2 values of Material by one',
      'Split Size',
      'Join 2 names',
      'Convert Mass',
      'Remove Foo',
      'Remove 2 names',
    ]);
  });

  it('says what would change, what goes for good, what clashes, what stays and what is skipped', async () => {
    const stage = await staged(merge);
    expect(asked(stage)).toEqual({ action: merge, filter: { folder: 'parts' }, levels: [], chosen: [] });
    expect(body()).toContain('3 values in 2 files would change.');
    expect(body()).toContain('1 value is removed that is nowhere else in the file.');
    expect(body()).toContain('1 clash is left as they are until you choose.');
    expect(body()).toContain('1 file is skipped.');
    expect(body()).toContain('1 would break the schema.');
    expect(body()).toContain('is released in the vault.');
  });

  it('asks anew when the rule, the levels or a clash are chosen; a clash is settled once', async () => {
    const stage = await staged(merge);
    const page = document.body;
    const change = async (element: HTMLInputElement) => {
      element.dispatchEvent(new Event('change'));
      await wait(stage);
    };
    await stage.select('Where both have different values', 'ask');
    await wait(stage);
    const occurrence = [...page.querySelectorAll<HTMLLabelElement>('fieldset label')]
      .find((label) => label.textContent.trim() === 'occurrence')!
      .querySelector('input')!;
    await change(occurrence);
    const radios = [...page.querySelectorAll<HTMLInputElement>('input[type=radio]')];
    await change(radios[0]!);
    await change(radios[1]!);
    expect(asked(stage)).toEqual({
      action: { ...merge, clash: 'ask' },
      filter: { folder: 'parts' },
      levels: ['occurrence'],
      chosen: [{ file: 7, holder: '', name: 'Description' }],
    });
    await change(occurrence);
    expect(asked(stage).levels).toEqual([]);
  });

  it('asks nothing while something is missing', async () => {
    const stage = await staged({ do: 'split', name: 'Size', separator: 'x', into: ['Width'] });
    expect(stage.last('previewCleanUp')).toBeUndefined();
    const into = document.body.querySelector<HTMLTextAreaElement>('textarea[name=into]')!;
    into.value = 'Width\n\nHeight\n';
    into.dispatchEvent(new Event('input'));
    await wait(stage);
    expect(asked(stage).action).toMatchObject({ do: 'split', into: ['Width', 'Height'] });
  });

  it('goes to the tray as it was shown, and closes', async () => {
    const stage = await staged(merge);
    const ended: string[] = [];
    const dialog = stage.fixture.componentInstance as CleanUpDialog;
    dialog.done.subscribe(() => ended.push('done'));
    dialog.closed.subscribe(() => ended.push('closed'));
    const put = [...document.body.querySelectorAll('button')].find((button) => button.textContent.trim() === 'Put 3 values in the tray')!;
    put.click();
    await stage.settled();
    expect([asked(stage, 'cleanUp'), stage.said, ended]).toEqual([asked(stage), ['3 values added to the tray.'], ['done', 'closed']]);
    expect(stage.actions.some((action) => action.type === '[Tray] Load')).toBe(true);
  });

  it('says why it cannot be done', async () => {
    await staged(merge, { previewCleanUp: throwError(() => new Error('Description is a name of the system.')) });
    expect(document.body.querySelector('[role=alert]')!.textContent).toContain('Description is a name of the system.');
  });
});
