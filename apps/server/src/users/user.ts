import { Role, TokenScope } from '@rule/contract';

/** A person who is signed in. */
export interface User {
  readonly id: number;
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
  /** Scope of the token in use; absent in sessions. */
  readonly scope?: TokenScope;
  /** Whether a new password must be chosen. */
  readonly firstPassword?: boolean;
}

/** Whether a user may change something: as owner or administrator. */
export const mayDecide = (user: Pick<User, 'id' | 'role'>, owner: number | null): boolean => user.role === 'administrator' || user.id === owner;
