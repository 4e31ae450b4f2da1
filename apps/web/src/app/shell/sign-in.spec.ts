import { describe, expect, it } from '@jest/globals';
import { Stage } from '../../test/stage';
import { SignInPage } from './sign-in';

describe('signing in', () => {
  it('takes Enter in the very moment in which the last letter came', async () => {
    const stage = new Stage({});
    await stage.show(SignInPage);
    for (const [field, value] of [
      ['Name', ' varga '],
      ['Password', 'secret '],
    ] as const) {
      stage.field(field).value = value;
      stage.field(field).dispatchEvent(new Event('input'));
    }
    expect(stage.button('Sign in').disabled).toBe(false);
    stage.page.querySelector('form')!.dispatchEvent(new Event('submit'));
    // Names are trimmed, passwords are not.
    expect(stage.action('[Session] Sign In')).toMatchObject({ signIn: { name: 'varga', password: 'secret ' } });
  });
  it('asks for what is missing, and nobody else', async () => {
    const stage = new Stage({});
    await stage.show(SignInPage);
    await stage.type('Name', 'varga');
    await stage.click('Sign in');
    expect([stage.action('[Session] Sign In'), stage.text('[role=alert]')]).toEqual([undefined, 'Enter your name and password.']);
  });
});
