import { FirstPassword, NewToken, PersonRow, TokenRow } from '..';
import { passwordChange, personChange, personDraft, profileChange, tokenDraft } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** People, one’s own profile, and tokens. */
export const peopleRoutes = {
  'GET /tokens': { summary: 'Your tokens for programs; for administrators those of everybody', role: 'viewer', answer: json<TokenRow[]>() },
  'POST /tokens': { summary: 'Create a token for a program; it is shown once', role: 'viewer', body: tokenDraft, answer: json<NewToken>() },
  'DELETE /tokens/{token}': { summary: 'Revoke a token', role: 'viewer', answer: nothing },
  'GET /people': { summary: 'The people of the company', role: 'administrator', answer: json<PersonRow[]>() },
  'POST /people': { summary: 'Add a person; the first password is shown once', role: 'administrator', body: personDraft, answer: json<FirstPassword>() },
  'PUT /people/{person}': {
    summary: 'Change the name or role of a person, lock or unlock them',
    role: 'administrator',
    body: personChange,
    answer: json<PersonRow>(),
  },
  'POST /people/{person}/password': {
    summary: 'Reset the password of a person, shown once, and end their sessions',
    role: 'administrator',
    answer: json<FirstPassword>(),
  },
  'DELETE /people/{person}': { summary: 'Remove a person; history keeps the name', role: 'administrator', answer: nothing },
  'PUT /profile': { summary: 'Change your display name', role: 'viewer', body: profileChange, answer: nothing },
  'PUT /profile/password': {
    summary: 'Change your password; your other sessions end',
    role: 'viewer',
    body: passwordChange,
    beforeOwnPassword: true,
    answer: nothing,
  },
} satisfies RouteTable;
