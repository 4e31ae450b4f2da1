import { LONGEST_NAME } from '@rule/core/schema';
import { CASES } from '@rule/core/survey';
import Joi from 'joi';
import { ForeignDraft, ForeignRequest } from '../foreign';
import { id } from './files';
import { fileClauses, filterKeys } from './values';

const text = Joi.string().max(1000).allow('').required();

const conversion = Joi.alternatives(
  Joi.object({ do: Joi.valid('as it is', 'date').required() }),
  Joi.object({ do: Joi.valid('from unit').required(), unit: Joi.string().max(20).required() }),
  Joi.object({ do: Joi.valid('case').required(), style: Joi.valid(...CASES).required() }),
  Joi.object({ do: Joi.valid('before', 'after').required(), separator: Joi.string().min(1).max(20).required() }),
  Joi.object({
    do: Joi.valid('words').required(),
    pairs: Joi.array()
      .items(Joi.object({ theirs: text, ours: text }))
      .max(5000)
      .required(),
    others: Joi.valid('keep', 'refuse').required(),
  }),
);

/** Checks a {@link ForeignDraft}. */
export const foreignDraft = Joi.object<ForeignDraft>({
  name: Joi.string().trim().min(1).max(100).required(),
  rows: Joi.array()
    .items(
      Joi.object({ from: Joi.string().min(1).max(LONGEST_NAME).required(), to: id.required(), convert: conversion.required(), where: fileClauses.required() }),
    )
    .max(500)
    .required(),
}).required();

/** Checks a {@link ForeignRequest}. */
export const foreignRequest = Joi.object<ForeignRequest>({
  rows: Joi.array().items(Joi.object()).min(1).max(500).required(),
  filter: Joi.object(filterKeys).required(),
  clash: Joi.valid('keep ours', 'take theirs').required(),
  keep: Joi.boolean().required(),
})
  .custom((request: ForeignRequest) => {
    const rows = foreignDraft.validate({ name: 'rows', rows: request.rows });
    if (rows.error) throw rows.error;
    return request;
  })
  .required();
