import { HttpEventType } from '@angular/common/http';
import { describe, expect, it } from '@jest/globals';
import { JobRow } from '@rule/contract';
import { TestBed } from '@angular/core/testing';
import { Store } from '@ngrx/store';
import { NEVER, Observable, concat, of, throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { JobsActions } from '../shared';
import { Uploads } from './uploads';

const answer = (body: object): Observable<object> => concat(of({ type: HttpEventType.UploadProgress, loaded: 2 }), of({ type: HttpEventType.Response, body }));
const staged = async (upload: (path: string) => Observable<object>, more: object = {}): Promise<{ stage: Stage; arrived: () => number }> => {
  const stage = new Stage({
    uploadFile: (_library: number, path: string) => upload(path),
    uploadArchive: (_library: number, path: string) => upload(path),
    ...more,
  });
  await stage.show(Uploads, { library: 5 });
  let arrived = 0;
  (stage.fixture.componentInstance as Uploads).arrived.subscribe(() => arrived++);
  return { stage, arrived: () => arrived };
};
const choose = async (stage: Stage, ...names: string[]) => {
  const picker = stage.field('Files or a zip archive to upload');
  Object.defineProperty(picker, 'files', { configurable: true, value: names.map((name) => new File(['abcd'], name)) });
  picker.dispatchEvent(new Event('change'));
  for (let i = 0; i < 8; i++) await stage.settled();
};
const rows = (stage: Stage) =>
  [...stage.page.querySelectorAll('tbody tr')].map((row) => [...row.querySelectorAll('td')].map((cell) => cell.textContent.trim()));

describe('uploads', () => {
  it('go one after the other, with a result a file; what was refused stands first', async () => {
    const { stage, arrived } = await staged((path) =>
      path === 'bad.step' ? throwError(() => new Error('bad.step is no STEP file.')) : answer({ outcome: 'added', message: null }),
    );
    await choose(stage, 'drum.step', 'bad.step', 'arm.step');
    expect(stage.calls.map(({ name, args }) => [name, ...args.slice(0, 2)])).toEqual([
      ['uploadFile', 5, 'drum.step'],
      ['uploadFile', 5, 'bad.step'],
      ['uploadFile', 5, 'arm.step'],
    ]);
    expect(rows(stage)).toEqual([
      ['bad.step', 'refused', 'bad.step is no STEP file.'],
      ['drum.step', 'added', ''],
      ['arm.step', 'added', ''],
    ]);
    expect([stage.text('[role=status]').replace(/\s+/g, ' '), arrived()]).toEqual(['3 of 3 files sent. 2 added 1 refused', 1]);
  });
  it('an archive is unpacked by a job, whose results take its place', async () => {
    const job = (state: JobRow['state']) => ({
      id: 9,
      state,
      message: '2 files.',
      result: { outcomes: [{ path: 'a.step', outcome: 'added', message: null }] },
    });
    const { stage, arrived } = await staged(() => answer({ job: 9 }), { job: job('done') });
    await choose(stage, 'ferrow.zip');
    expect([stage.calls[0]!.name, ...stage.calls[0]!.args.slice(0, 2)]).toEqual(['uploadArchive', 5, 'ferrow.zip']);
    expect([rows(stage)[0]!.slice(0, 2), arrived(), stage.action('[Jobs] Started')]).toMatchObject([['ferrow.zip', 'unpacking'], 0, { job: 9 }]);
    TestBed.inject(Store).dispatch(JobsActions.ended({ job: job('done') as JobRow }));
    for (let i = 0; i < 4; i++) await stage.settled();
    expect(rows(stage)).toEqual([
      ['ferrow.zip', 'unpacked', '2 files.'],
      ['a.step', 'added', ''],
    ]);
  });
  it('is cancelled: what has not gone is given up, what has gone stays', async () => {
    let n = 0;
    const { stage, arrived } = await staged(() => (n++ === 0 ? answer({ outcome: 'replaced', message: null }) : NEVER));
    await choose(stage, 'one.step', 'two.step', 'three.step');
    expect(rows(stage).map((row) => row[1])).toEqual(['replaced', 'sending', 'waiting']);
    await stage.click('Cancel');
    for (let i = 0; i < 4; i++) await stage.settled();
    expect([rows(stage).map((row) => row[1]), n, arrived()]).toEqual([['replaced', 'given up', 'given up'], 2, 1]);
    expect(() => stage.button('Cancel')).toThrow();
  });
});
