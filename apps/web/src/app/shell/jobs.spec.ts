import { describe, expect, it } from '@jest/globals';
import { JobRow } from '@rule/contract';
import { Action, Store } from '@ngrx/store';
import { TestBed } from '@angular/core/testing';
import { Stage } from '../../test/stage';
import { JobsActions } from '../shared';
import { JobsButton } from './jobs';

const job = (id: number, change: Partial<JobRow> = {}): JobRow => ({
  id,
  kind: 'survey',
  title: `Job ${id}`,
  by: 'T. Okafor',
  state: 'done',
  step: '',
  done: 0,
  total: 0,
  startedAt: null,
  endedAt: '2026-11-25T08:00:00Z',
  secondsLeft: null,
  message: null,
  result: null,
  errors: 0,
  ...change,
});
const staged = async (jobs: readonly JobRow[], role = 'editor'): Promise<Stage> => {
  const stage = new Stage({ jobErrors: [{ path: 'torn.dxf', message: 'The file ends before EOF.' }] }, { role });
  TestBed.inject(Store).dispatch(JobsActions.loaded({ jobs: [...jobs] }));
  await stage.show(JobsButton);
  return stage;
};
const running = job(2, { state: 'running', step: 'reading', done: 30, total: 120, secondsLeft: 200, endedAt: null });

describe('long work in the head of the page', () => {
  it('shows how far it is, and what is left when it is opened', async () => {
    const stage = await staged([job(1), running]);
    expect(stage.text('[role=status]')).toBe('reading 30 of 120');
    expect(stage.page.querySelector<HTMLElement>('.bar span')!.style.width).toBe('25%');
    await stage.click(/reading 30 of 120/);
    expect(stage.text('[aria-label="Jobs"]')).toContain('reading, 30 of 120, about 3 min left');
    expect(stage.page.querySelector('[role=progressbar]')!.getAttribute('aria-label')).toBe('Job 2');
    expect(stage.action('[Jobs] Load')).toBeDefined();
  });
  it('is cancelled by those who may, and by nobody else', async () => {
    const stage = await staged([running]);
    await stage.click(/reading/);
    await stage.click('Cancel');
    expect(stage.action<Action & { job: number }>('[Jobs] Cancel')!.job).toBe(2);
  });
  it('a viewer sees it and cannot cancel', async () => {
    const stage = await staged([running], 'viewer');
    await stage.click(/reading/);
    expect(() => stage.button('Cancel')).toThrow();
  });
  it('names the files that went wrong, and folds them again', async () => {
    const stage = await staged([job(1, { errors: 1, message: '12 files.' })]);
    await stage.click('Jobs');
    await stage.click('1 file with something to look at');
    expect([stage.last('jobErrors'), stage.text('li')]).toEqual([[1], 'torn.dxf The file ends before EOF.']);
    await stage.click('1 file with something to look at');
    expect(stage.page.querySelector('li')).toBeNull();
  });
  it('closes by Escape and by a click elsewhere', async () => {
    const stage = await staged([]);
    await stage.click('Jobs');
    expect(stage.text('section')).toContain('No jobs yet.');
    document.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }));
    await stage.settled();
    expect(stage.page.querySelector('section')).toBeNull();
    await stage.click('Jobs');
    document.body.click();
    await stage.settled();
    expect(stage.page.querySelector('section')).toBeNull();
  });
});
