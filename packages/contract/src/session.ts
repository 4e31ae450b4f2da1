import Joi from 'joi';

/** What people may do, from least to most. */
export const ROLES = ['viewer', 'checker', 'editor', 'administrator'] as const;
export type Role = (typeof ROLES)[number];

/** Whether a role may do what another one may. */
export const mayActAs = (role: Role, needed: Role): boolean => ROLES.indexOf(role) >= ROLES.indexOf(needed);

export interface SignedIn {
  readonly name: string;
  readonly displayName: string;
  readonly role: Role;
}

export interface SessionState {
  readonly user: SignedIn | null;
  /** Goes back in the header `x-rule-csrf` with everything but GET. */
  readonly csrf: string;
  readonly company: string;
}

export interface SignIn {
  readonly name: string;
  readonly password: string;
}

export const signIn = Joi.object<SignIn>({ name: Joi.string().max(100).required(), password: Joi.string().max(200).required() }).required();
