/** Roles, from least to most. */
export const ROLES = ['viewer', 'checker', 'editor', 'administrator'] as const;

/** One of {@link ROLES}. */
export type Role = (typeof ROLES)[number];

/** Whether a role includes another. */
export const mayActAs = (role: Role, needed: Role): boolean => ROLES.indexOf(role) >= ROLES.indexOf(needed);

/** The signed-in user. */
export interface SignedIn {
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
  /** Whether a new password must be chosen first. */
  readonly firstPassword: boolean;
}

/** Session state. */
export interface SessionState {
  readonly user: SignedIn | null;
  /** Send in the header `x-rule-csrf` with all requests but GET. */
  readonly csrf: string;
  readonly company: string;
}

/** Scopes of a token: read, work, or manage people. No token can create tokens. */
export const TOKEN_SCOPES = ['read', 'work', 'people'] as const;

/** One of {@link TOKEN_SCOPES}. */
export type TokenScope = (typeof TOKEN_SCOPES)[number];

/** Maximum lifetime of a token, in days. */
export const LONGEST_TOKEN = 366;

/** An API token. */
export interface TokenRow {
  readonly id: number;
  readonly name: string;
  readonly at: string;
  readonly usedAt: string | null;
  readonly expiresAt: string;
  readonly scope: TokenScope;
  /** Its owner. */
  readonly by: string;
  readonly mine: boolean;
}

/** A token to create. */
export interface TokenDraft {
  readonly name: string;
  readonly scope: TokenScope;
  /** Lifetime in days. */
  readonly days: number;
}

/** A new token, shown once. */
export interface NewToken {
  readonly id: number;
  readonly token: string;
}

/** Name and password. */
export interface SignIn {
  readonly name: string;
  readonly password: string;
}
