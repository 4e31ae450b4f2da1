import { TestBed } from '@angular/core/testing';
import { describe, expect, it } from '@jest/globals';
import { Settings, TokenRow } from '@rule/contract';
import { Store } from '@ngrx/store';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { CatalogueActions } from '../shared';
import { SettingsStation } from './settings';
import { Tokens } from './tokens';

const SETTINGS = {
  company: 'Marrowby Roaster Works',
  modelProperty: 'Model',
  massProperty: 'Mass',
  materialProperty: 'Material',
  workflowStates: ['in work', 'released'],
  standIns: ['-*', 'TBD'],
  densities: [{ material: 'S235JR', density: 7850 }],
  abbreviations: [{ short: 'Matl', long: 'Material' }],
  synonyms: [['304', '1.4301']],
} as unknown as Settings;
const SYNONYMS = 'Values that mean the same, one group per line, separated by semicolons';
const TRANSLATED = property(1, 'Mass', { captions: { de: 'Masse' } });

async function staged(answers: object = {}, role = 'administrator') {
  const stage = new Stage({ tokens: [], people: [], libraries: [], saveSettings: (settings: Settings) => settings, ...answers }, { role });
  const tell = (settings: Settings) => TestBed.inject(Store).dispatch(CatalogueActions.loaded({ properties: [TRANSLATED], settings }));
  tell(SETTINGS);
  await stage.show(SettingsStation);
  return { stage, tell, sent: () => stage.last('saveSettings')![0] as Settings };
}

describe('settings', () => {
  it('are written as lists, a line an entry, and saved as what they mean', async () => {
    const { stage, sent } = await staged();
    expect(stage.field<HTMLInputElement>(SYNONYMS).value).toBe('304; 1.4301');
    expect(stage.button('Save').disabled).toBe(true);
    await stage.type(SYNONYMS, '304; 1.4301\nash ;Ash\n');
    await stage.type('Company', 'Marrowby');
    await stage.click('Save');
    expect(sent()).toEqual({ ...SETTINGS, company: 'Marrowby', synonyms: [...SETTINGS.synonyms, ['ash', 'Ash']] });
    expect(stage.said).toEqual(['Settings are saved.']);
    expect(stage.button('Save').disabled).toBe(true);
  });

  it('are not saved while a line cannot be read, which is named; what was typed stays', async () => {
    const { stage } = await staged();
    await stage.type(SYNONYMS, 'alone');
    expect(stage.text('small.bad')).toBe('“alone” is alone: a group needs at least two values.');
    await stage.type('Company', 'Marrowby');
    expect(stage.button('Save').disabled).toBe(true);
    expect(stage.field<HTMLInputElement>(SYNONYMS).value).toBe('alone');
    await stage.type(SYNONYMS, 'alone; lonely');
    expect(stage.page.querySelector('small.bad')).toBeNull();
    expect(stage.button('Save').disabled).toBe(false);
  });

  it('that are being typed outlive settings that somebody else saves; untouched ones follow', async () => {
    const { stage, tell } = await staged();
    tell({ ...SETTINGS, company: 'Another' });
    await stage.settled();
    expect(stage.field('Company').value).toBe('Another');
    await stage.type('Company', 'Mine');
    tell({ ...SETTINGS, company: 'A third' });
    await stage.settled();
    expect(stage.field('Company').value).toBe('Mine');
    await stage.type('Company', 'A third');
    await stage.type(SYNONYMS, 'not finished');
    tell({ ...SETTINGS, company: 'A fourth' });
    await stage.settled();
    expect([stage.field<HTMLInputElement>(SYNONYMS).value, stage.text('small.bad')]).toEqual([
      'not finished',
      '“not finished” is alone: a group needs at least two values.',
    ]);
  });

  it('that the server refuses stay as they were typed', async () => {
    const { stage } = await staged({ saveSettings: throwError(() => new Error('no')) });
    await stage.type('Company', 'Mine');
    await stage.click('Save');
    expect([stage.said.length, stage.field('Company').value, stage.button('Save').disabled]).toEqual([1, 'Mine', false]);
  });

  it('are seen, not changed, by those who do not administer; the language is everybody’s own', async () => {
    const { stage } = await staged({}, 'viewer');
    expect(stage.page.querySelector('fieldset')!.disabled).toBe(true);
    expect(() => stage.button('Save')).toThrow();
    expect(stage.text('.head')).toContain('Changing them needs the role administrator.');
    expect(stage.text('[bench=index]')).not.toMatch(/People|libraries/);
    stage.fixture.componentRef.setInput('view', 'you');
    await stage.settled();
    await stage.select('Captions in the language', 'de');
    expect(stage.action(CatalogueActions.language.type)).toMatchObject({ language: 'de' });
  });
});

describe('tokens', () => {
  const row = (id: number, name: string, usedAt: string | null = null): TokenRow => ({
    id,
    name,
    at: '2026-11-20T10:00:00Z',
    usedAt,
    expiresAt: '2100-01-01T00:00:00Z',
    scope: 'work',
    by: 'Ilona Varga',
    mine: true,
  });

  it('are made for a purpose, said once, and gone from sight with the next step', async () => {
    let rows = [row(1, 'nightly check', '2026-11-24T10:00:00Z')];
    const stage = new Stage({
      tokens: () => rows,
      makeToken: () => {
        rows = [...rows, row(2, 'buyers')];
        return { token: 'rule_abc' };
      },
      removeToken: (id: number) => {
        rows = rows.filter((each) => each.id !== id);
        return undefined;
      },
    });
    await stage.show(Tokens);
    expect(stage.text('tbody')).toContain('last used');
    expect(stage.button('Create a token').disabled).toBe(true);
    await stage.type('Purpose', '  buyers ');
    await stage.click('Create a token');
    expect(stage.last('makeToken')).toEqual([{ name: 'buyers', scope: 'work', days: 90 }]);
    expect(stage.text('[role=status]')).toBe('New token, shown only once: rule_abc');
    expect(stage.field('Purpose').value).toBe('');
    expect(stage.text('tbody')).toContain('never used');
    await stage.click('take back nightly check');
    expect(stage.last('removeToken')).toEqual([1]);
    expect(stage.page.querySelector('[role=status]')).toBeNull();
    expect(stage.page.querySelectorAll('tbody tr')).toHaveLength(1);
  });

  it('say when they could not be had', async () => {
    const stage = new Stage({ tokens: throwError(() => new Error('away')) });
    await stage.show(Tokens);
    expect(stage.said).toEqual(['Error: away']);
  });
});
