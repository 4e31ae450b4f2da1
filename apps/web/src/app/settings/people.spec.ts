import { describe, expect, it } from '@jest/globals';
import { PersonRow } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { LibraryPlaces } from './library-places';
import { PeopleSection } from './people';
import { Profile } from './profile';

const person = (id: number, name: string, change: Partial<PersonRow> = {}): PersonRow => ({
  id,
  name,
  displayName: `Person ${name}`,
  role: 'editor',
  locked: false,
  firstPassword: false,
  signedInAt: null,
  tokens: 0,
  ...change,
});

describe('people', () => {
  const rows = [person(1, 'varga', { role: 'administrator' }), person(2, 'okafor', { locked: true }), person(3, 'new', { firstPassword: true })];
  const staged = async (more: object = {}) => {
    const stage = new Stage({ people: rows, ...more }, { role: 'administrator' });
    await stage.show(PeopleSection);
    await stage.rested();
    return stage;
  };

  it('are shown with what they may do and whether they may come in', async () => {
    const stage = await staged();
    const lines = [...stage.page.querySelectorAll('tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' '));
    expect([lines[1], lines[2]]).toEqual([expect.stringContaining('locked'), expect.stringContaining('first password')]);
    // Users cannot lock or remove themselves.
    expect(lines[0]).not.toMatch(/lock|remove/);
    expect(lines[1]).toContain('Unlock');
  });
  it('are added, and the first password is said once', async () => {
    const stage = await staged({ addPerson: { id: 4, password: 'abcd-efgh' }, changePerson: null });
    expect(stage.button('Add').disabled).toBe(true);
    await stage.type('Full name', ' Bea Marsh ');
    await stage.type('Signs in as', 'b.marsh');
    await stage.click('Add');
    expect(stage.last('addPerson')).toEqual([{ name: 'b.marsh', displayName: 'Bea Marsh', role: 'editor' }]);
    expect(stage.text('[role=status]')).toContain('First password of Bea Marsh, said this once: abcd-efgh');
    await stage.click('Unlock Person okafor');
    expect(stage.last('changePerson')).toEqual([2, { displayName: 'Person okafor', role: 'editor', locked: false }]);
    expect(stage.page.querySelector('[role=status]')).toBeNull();
  });
  it('what is refused is said, and the table shows how things stand', async () => {
    const stage = await staged({ changePerson: throwError(() => new Error('This is the last administrator.')) });
    await stage.click('Lock Person new');
    expect(stage.said).toEqual(['Error: This is the last administrator.']);
  });
});

describe('you', () => {
  const staged = async (more: object = {}) => {
    const stage = new Stage({ renameMyself: null, changePassword: null, session: { user: null, csrf: '', company: '' }, ...more }, { role: 'editor' });
    await stage.show(Profile);
    await stage.rested();
    return stage;
  };
  it('change the name that others see', async () => {
    const stage = await staged();
    expect(stage.text('p.soft')).toBe('You sign in as varga, and are an editor.');
    await stage.type('Display name', 'Ilona V. Varga');
    await stage.click('Save the name');
    expect(stage.last('renameMyself')).toEqual(['Ilona V. Varga']);
  });
  it('change the password, typed the same way twice', async () => {
    const stage = await staged();
    await stage.type('Current password', 'old');
    await stage.type('New password', 'tin roof rusted');
    await stage.type('Repeat new password', 'tin roof rustet');
    await stage.click('Change the password');
    expect([stage.text('[role=alert]'), stage.last('changePassword')]).toEqual(['The two passwords do not match.', undefined]);
    await stage.type('Repeat new password', 'tin roof rusted');
    await stage.click('Change the password');
    expect(stage.last('changePassword')).toEqual([{ current: 'old', next: 'tin roof rusted' }]);
    expect(stage.said).toEqual([expect.stringContaining('Password changed.')]);
  });
});

describe('libraries', () => {
  it('of a restored copy are confirmed where they stand, and others are pointed elsewhere', async () => {
    const library = (id: number, confirmed: boolean) => ({
      id,
      name: `Library ${id}`,
      root: `/lib/${id}`,
      kind: 'folder',
      files: 1,
      unread: 0,
      surveyedAt: null,
      confirmed,
    });
    const stage = new Stage({ libraries: [library(1, false), library(2, true)], placeLibrary: { job: 9 } }, { role: 'administrator' });
    await stage.show(LibraryPlaces);
    await stage.rested();
    expect(stage.text('.chip')).toBe('restored, not confirmed yet');
    expect(stage.button('Set folder').disabled).toBe(true);
    await stage.click('Confirm folder');
    expect([stage.last('placeLibrary'), stage.said]).toEqual([[1, '/lib/1'], ['Library 1 stands in /lib/1, and is read.']]);
  });
});
