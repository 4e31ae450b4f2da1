import { count } from '@rule/core/words';
import { PersonRow, ROLES, Role } from '@rule/contract';
import { Outcome } from './commands';
import { RuleServer } from './server';
import { Trouble } from './trouble';

const COLUMNS = ['name', 'whole name', 'role', 'state', 'signed in', 'password'];

const rowOf = ({ name, displayName, role, locked, signedInAt, firstPassword }: PersonRow, password = firstPassword ? 'first' : 'own') => ({
  name,
  'whole name': displayName,
  role,
  state: locked ? 'locked' : 'active',
  'signed in': signedInAt ?? 'never',
  password,
});

function roleOf(text: string): Role {
  const role = ROLES.find((candidate) => candidate === text);
  if (!role) throw new Trouble(`${text} is not a role; use one of ${ROLES.join(', ')}.`);
  return role;
}

/** Lists and manages users. */
export async function people(server: RuleServer, [what, name, more]: readonly string[], role: string): Promise<Outcome> {
  const outcome = (rows: Outcome['rows'], said: string): Outcome => ({ columns: COLUMNS, rows, worst: null, said });
  if (what === undefined) {
    const all = await server.people();
    return outcome(
      all.map((person) => rowOf(person)),
      `${count(all.length, 'person', 'people')}`,
    );
  }
  if (name === undefined) throw new Trouble(`rule people ${what} needs a name.`);
  if (what === 'add') {
    if (more === undefined) throw new Trouble('rule people add needs a sign-in name and a full name.');
    const { id, password } = await server.addPerson({ name, displayName: more, role: roleOf(role) });
    return outcome(
      [
        rowOf(
          (await server.people()).find((person) => person.id === id)!,
          password,
        ),
      ],
      `${more} chooses another password at the first sign-in.`,
    );
  }
  const person = (await server.people()).find((candidate) => candidate.name === name);
  if (!person) throw new Trouble(`There is no sign-in name ${name}.`);
  const { id, displayName, locked } = person;
  switch (what) {
    case 'role':
      if (more === undefined) throw new Trouble('rule people role needs a name and a role.');
      return outcome([rowOf(await server.changePerson(id, { displayName, role: roleOf(more), locked }))], '');
    case 'lock':
    case 'unlock':
      return outcome([rowOf(await server.changePerson(id, { displayName, role: person.role, locked: what === 'lock' }))], '');
    case 'reset':
      return outcome([rowOf(person, (await server.resetPassword(id)).password)], `${displayName} chooses another password at the next sign-in.`);
    case 'remove':
      await server.removePerson(id);
      return outcome([], `${displayName} is removed. History keeps the name.`);
    default:
      throw new Trouble(`rule people ${what} is not known.`);
  }
}
