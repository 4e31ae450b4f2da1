import { describe, expect, it, jest } from '@jest/globals';
import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { Stage, property } from '../../test/stage';
import { Palette } from './palette';

const files = { rows: [{ file: { id: 7, path: 'parts/drum.step', kind: 'part' } }] };
const staged = async (): Promise<{ stage: Stage; went: unknown[] }> => {
  const stage = new Stage(
    { values: files },
    { properties: [property(1, 'Drum diameter', { caption: 'Drum diameter' }), property(2, 'Old', { caption: 'Old drum', retired: true })] },
  );
  const went: unknown[] = [];
  jest.spyOn(TestBed.inject(Router), 'navigate').mockImplementation((commands, extras) => {
    went.push([commands, extras?.queryParams]);
    return Promise.resolve(true);
  });
  await stage.show(Palette, { open: true });
  return { stage, went };
};
const entries = (stage: Stage) => [...stage.page.querySelectorAll('[role=option]')].map((each) => each.textContent.trim());
const search = async (stage: Stage, text: string) => {
  await stage.type('Find', text);
  await stage.rested();
};
const press = async (stage: Stage, key: string) => {
  stage.field('Find').dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
  await stage.settled();
};

describe('finding and going', () => {
  it('finds stations, properties, retired ones too, and files', async () => {
    const { stage } = await staged();
    await search(stage, 'drum');
    expect(entries(stage)).toEqual(['Drum diameterproperty', 'Old drumretired property', 'parts/drum.steppart']);
    expect(stage.last('values')).toEqual([{ search: 'drum', limit: 8 }]);
  });
  it('is walked by the keyboard and says where one stands', async () => {
    const { stage, went } = await staged();
    await search(stage, 'drum');
    await press(stage, 'ArrowDown');
    await press(stage, 'ArrowDown');
    await press(stage, 'ArrowDown');
    expect(stage.field('Find').getAttribute('aria-activedescendant')).toBe('palette-2');
    await press(stage, 'Enter');
    expect([went, stage.page.querySelector('[role=dialog]')]).toEqual([[[['/', 'file', '7'], {}]], null]);
  });
  it('a single letter asks the server for nothing', async () => {
    const { stage } = await staged();
    await search(stage, 'd');
    expect(stage.last('values')).toBeUndefined();
  });
  it('does things too, and says when it finds nothing', async () => {
    const { stage } = await staged();
    await search(stage, 'pending');
    await press(stage, 'Enter');
    expect(stage.action('[Tray] Open')).toMatchObject({ open: true });
  });
  it('closes by Escape', async () => {
    const { stage } = await staged();
    await search(stage, 'no such thing');
    expect(entries(stage)).toEqual(['parts/drum.steppart']);
    await press(stage, 'Escape');
    expect(stage.page.querySelector('[role=dialog]')).toBeNull();
  });
});
