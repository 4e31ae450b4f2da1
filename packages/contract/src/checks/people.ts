import Joi from 'joi';
import { PasswordChange, PersonChange, PersonDraft, ProfileChange } from '../people';
import { ROLES } from '../session';

const displayName = Joi.string().trim().min(1).max(100).required();

const role = Joi.valid(...ROLES).required();

/** Checks a {@link PersonDraft}. */
export const personDraft = Joi.object<PersonDraft>({
  name: Joi.string()
    .trim()
    .pattern(/^[\p{L}\p{N}][\p{L}\p{N}._@-]*$/u, 'letters, digits and . _ @ -')
    .max(100)
    .required(),
  displayName,
  role,
}).required();

/** Checks a {@link PersonChange}. */
export const personChange = Joi.object<PersonChange>({ displayName, role, locked: Joi.boolean().required() }).required();

/** Checks a {@link ProfileChange}. */
export const profileChange = Joi.object<ProfileChange>({ displayName }).required();

/** Checks a {@link PasswordChange}. */
export const passwordChange = Joi.object<PasswordChange>({ current: Joi.string().max(200).required(), next: Joi.string().max(200).required() }).required();
