import { Role } from './session';

/** Minimum password length (NIST SP 800-63B, from memory: at least eight, no composition rules). */
export const SHORTEST_PASSWORD = 10;

/** A user, for administrators. */
export interface PersonRow {
  readonly id: number;
  /** Sign-in name. */
  readonly name: string;
  /** Display name, also in history. */
  readonly displayName: string;
  readonly role: Role;
  /** Locked users cannot sign in or use tokens. */
  readonly locked: boolean;
  /** Whether the initial password is still in use. */
  readonly firstPassword: boolean;
  readonly signedInAt: string | null;
  /** Number of valid tokens. */
  readonly tokens: number;
}

/** A user to add. */
export interface PersonDraft {
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
}

/** New name and role. */
export interface PersonChange {
  readonly displayName: string;
  readonly role: Role;
  readonly locked: boolean;
}

/** The initial password, shown once; it must be changed at sign-in. */
export interface FirstPassword {
  readonly id: number;
  readonly password: string;
}

/** The user's own profile. */
export interface ProfileChange {
  readonly displayName: string;
}

/** A new password, with the old one for verification. */
export interface PasswordChange {
  readonly current: string;
  readonly next: string;
}
