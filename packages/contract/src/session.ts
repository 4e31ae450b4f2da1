/** What people may do, from least to most. */
export const ROLES = ['viewer', 'checker', 'editor', 'administrator'] as const;

/** One of {@link ROLES}. */
export type Role = (typeof ROLES)[number];

/** Whether a role may do what another one may. */
export const mayActAs = (role: Role, needed: Role): boolean => ROLES.indexOf(role) >= ROLES.indexOf(needed);

/** Who is signed in. */
export interface SignedIn {
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
  /** Whether a password of one's own must be chosen before anything else. */
  readonly firstPassword: boolean;
}

/** The state of a session: who is signed in, if anybody. */
export interface SessionState {
  readonly user: SignedIn | null;
  /** Goes back in the header `x-rule-csrf` with everything but GET. */
  readonly csrf: string;
  readonly company: string;
}

/** What a token may be used for: reading alone, the work of its person, or managing people too where the person may. No token makes tokens. */
export const TOKEN_SCOPES = ['read', 'work', 'people'] as const;

/** One of {@link TOKEN_SCOPES}. */
export type TokenScope = (typeof TOKEN_SCOPES)[number];

/** Most days that a token works. */
export const LONGEST_TOKEN = 366;

/** A token by which a program acts for a person. */
export interface TokenRow {
  readonly id: number;
  readonly name: string;
  readonly at: string;
  readonly usedAt: string | null;
  readonly expiresAt: string;
  readonly scope: TokenScope;
  /** Whose token it is. */
  readonly by: string;
  readonly mine: boolean;
}

/** A token to be made. */
export interface TokenDraft {
  readonly name: string;
  readonly scope: TokenScope;
  /** Days until it ends by itself. */
  readonly days: number;
}

/** A token as it is said once, when it is made. */
export interface NewToken {
  readonly id: number;
  readonly token: string;
}

/** Name and password. */
export interface SignIn {
  readonly name: string;
  readonly password: string;
}
