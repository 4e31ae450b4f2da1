import { Role } from '@rule/contract';

/** A person who is signed in. */
export interface User {
  readonly id: number;
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
}
