import { KINDS } from '@rule/core/schema';
import Joi from 'joi';
import { CopyRequest, Naming } from '../naming';

/** Checks a {@link Naming}. */
export const naming = Joi.object<Naming>({
  rules: Joi.array()
    .items(
      Joi.object({
        kinds: Joi.array()
          .items(Joi.valid(...KINDS))
          .min(1)
          .unique()
          .required(),
        classes: Joi.array().items(Joi.string().max(255)).max(500).unique().required(),
        rule: Joi.string().max(10_000).required(),
        mode: Joi.valid('rename', 'copy').required(),
        folder: Joi.string().max(1000).allow('').required(),
      }),
    )
    .max(100)
    .required(),
}).required();

/** Checks a {@link CopyRequest}. */
export const copyRequest = Joi.object<CopyRequest>({
  files: Joi.array().items(Joi.number().integer().min(1).max(2_147_483_647)).min(1).max(500).unique().required(),
  replace: Joi.boolean().required(),
}).required();
