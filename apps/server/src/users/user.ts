import { Role, TokenScope } from '@rule/contract';

/** A person who is signed in. */
export interface User {
  readonly id: number;
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
  /** What the token is for by which a program acts for the person; without it, it is the person who acts. */
  readonly scope?: TokenScope;
  /** Whether the person still has to choose a password. */
  readonly firstPassword?: boolean;
}

/** Whether something that a person made may be changed by another one: by its owner, and by administrators. */
export const mayDecide = (user: Pick<User, 'id' | 'role'>, owner: number | null): boolean => user.role === 'administrator' || user.id === owner;
