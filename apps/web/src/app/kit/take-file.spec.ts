import { describe, expect, it } from '@jest/globals';
import { Stage } from '../../test/stage';
import { RuleTakeFile } from './take-file';

const file = (name: string) => new File(['a'], name);
const drop = (stage: Stage, ...files: File[]): boolean => {
  const event = new Event('drop', { cancelable: true, bubbles: true });
  Object.defineProperty(event, 'dataTransfer', { value: { files } });
  stage.page.dispatchEvent(event);
  return event.defaultPrevented;
};
const staged = async (inputs: object): Promise<{ stage: Stage; taken: string[][] }> => {
  const stage = new Stage({});
  await stage.show(RuleTakeFile, { label: 'Choose files', ...inputs });
  const taken: string[][] = [];
  (stage.fixture.componentInstance as RuleTakeFile).taken.subscribe((files) => taken.push(files.map(({ name }) => name)));
  return { stage, taken };
};

describe('the area that takes files', () => {
  it('takes what is dropped or chosen: one, unless several are wanted', async () => {
    const { stage, taken } = await staged({ fieldLabel: 'Workbook or CSV file' });
    expect(drop(stage, file('a.csv'), file('b.csv'))).toBe(true);
    const field = stage.field('Workbook or CSV file');
    Object.defineProperty(field, 'files', { configurable: true, value: [file('c.csv')] });
    field.dispatchEvent(new Event('change'));
    stage.fixture.componentRef.setInput('multiple', true);
    drop(stage, file('d.csv'), file('e.csv'));
    expect(taken).toEqual([['a.csv'], ['c.csv'], ['d.csv', 'e.csv']]);
  });
  it('shows that something is held over it, and takes nothing where nothing may be taken', async () => {
    const { stage, taken } = await staged({});
    stage.page.dispatchEvent(new Event('dragover', { cancelable: true }));
    await stage.settled();
    expect(stage.page.classList.contains('over')).toBe(true);
    stage.fixture.componentRef.setInput('disabled', true);
    await stage.settled();
    // The browser must not open the file instead.
    expect(drop(stage, file('a.csv'))).toBe(true);
    await stage.settled();
    expect([stage.page.classList.contains('over'), stage.page.querySelector('input'), taken]).toEqual([false, null, []]);
  });

  it('takes folders with the paths of what is in them, where they are wanted', async () => {
    const { stage } = await staged({ folders: 'Folder to upload', multiple: true });
    const given: (readonly { path: string }[])[] = [];
    (stage.fixture.componentInstance as RuleTakeFile).given.subscribe((files) => given.push(files));
    const field = stage.field('Folder to upload');
    const inside = Object.defineProperty(file('drum.step'), 'webkitRelativePath', { value: 'DR-15/parts/drum.step' });
    Object.defineProperty(field, 'files', { configurable: true, value: [inside, file('arm.step')] });
    field.dispatchEvent(new Event('change'));
    // A folder is dropped as an entry, which lists its files in portions.
    const entry = (name: string) => ({ name, isFile: true, isDirectory: false, file: (done: (file: File) => void) => done(file(name)) });
    const portions = [[entry('a.step')], [entry('b.step')], []];
    const folder = {
      name: 'bought',
      isFile: false,
      isDirectory: true,
      createReader: () => ({ readEntries: (done: (list: object[]) => void) => done(portions.shift()!) }),
    };
    const event = new Event('drop', { cancelable: true, bubbles: true });
    Object.defineProperty(event, 'dataTransfer', { value: { files: [], items: [{ kind: 'file', webkitGetAsEntry: () => folder }] } });
    stage.page.dispatchEvent(event);
    await stage.rested();
    expect(given.map((files) => files.map(({ path }) => path))).toEqual([
      ['DR-15/parts/drum.step', 'arm.step'],
      ['bought/a.step', 'bought/b.step'],
    ]);
  });
});
