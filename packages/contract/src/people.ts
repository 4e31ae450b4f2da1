import { Role } from './session';

/** Fewest letters of a password. What it is made of is nobody's business (NIST SP 800-63B, from memory: eight or more, no rules of composition). */
export const SHORTEST_PASSWORD = 10;

/** A person as administrators see them. */
export interface PersonRow {
  readonly id: number;
  /** By which they sign in. */
  readonly name: string;
  /** By which others know them, in history too. */
  readonly displayName: string;
  readonly role: Role;
  /** Locked people cannot sign in, and their tokens do nothing. */
  readonly locked: boolean;
  /** Whether they still have the first password, which someone else knows. */
  readonly firstPassword: boolean;
  readonly signedInAt: string | null;
  /** Tokens of theirs that work. */
  readonly tokens: number;
}

/** A person to be added. */
export interface PersonDraft {
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
}

/** What a person is called and may do from now on. */
export interface PersonChange {
  readonly displayName: string;
  readonly role: Role;
  readonly locked: boolean;
}

/** The first password of a person, said this once. They choose another when they sign in. */
export interface FirstPassword {
  readonly id: number;
  readonly password: string;
}

/** What people say of themselves. */
export interface ProfileChange {
  readonly displayName: string;
}

/** A new password, with the old one to prove who asks. */
export interface PasswordChange {
  readonly current: string;
  readonly next: string;
}
