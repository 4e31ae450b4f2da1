import { WIDE_LEVELS } from '@rule/core/schema';
import Joi from 'joi';
import { WideDraft, WideMembers } from '../projects';
import { fileClauses } from './values';

/** Checks a {@link WideDraft}. */
export const wideDraft = Joi.object<WideDraft>({
  level: Joi.valid(...WIDE_LEVELS.filter((level) => level !== 'company')).required(),
  name: Joi.string().trim().min(1).max(200).required(),
  clauses: fileClauses.required(),
}).required();

/** Checks a {@link WideMembers}. */
export const wideMembers = Joi.object<WideMembers>({
  files: Joi.array().items(Joi.number().integer().min(1).max(2_147_483_647)).min(1).max(5000).unique().required(),
  member: Joi.boolean().allow(null).required(),
}).required();
