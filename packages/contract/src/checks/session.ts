import Joi from 'joi';
import { LONGEST_TOKEN, SignIn, TOKEN_SCOPES, TokenDraft } from '../session';

/** Checks a {@link TokenDraft}. */
export const tokenDraft = Joi.object<TokenDraft>({
  name: Joi.string().trim().min(1).max(100).required(),
  scope: Joi.valid(...TOKEN_SCOPES).default('work'),
  days: Joi.number().integer().min(1).max(LONGEST_TOKEN).default(90),
}).required();

/** Checks a {@link SignIn}. */
export const signIn = Joi.object<SignIn>({ name: Joi.string().max(100).required(), password: Joi.string().max(200).required() }).required();
