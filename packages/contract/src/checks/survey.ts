import { LONGEST_NAME } from '@rule/core/schema';
import { CASES, CLASH_RULES } from '@rule/core/survey';
import Joi from 'joi';
import {
  COVERAGE_BY,
  COVERAGE_OF,
  ClassesDraft,
  CleanUpRequest,
  CopyValues,
  CoverageQuery,
  DraftsRequest,
  FilesQuery,
  KeepSurvey,
  SurveyTable,
  ValuesQuery,
} from '../survey';
import { id } from './files';
import { fileClauses, filterKeys } from './values';

/** Checks a {@link ClassesDraft}. */
export const classesDraft = Joi.object<ClassesDraft>({
  classes: Joi.array()
    .items(Joi.object({ id, name: Joi.string().trim().min(1).max(60).required(), clauses: fileClauses.required(), statedMass: Joi.boolean().required() }))
    .max(100)
    .required(),
}).required();

/** Checks a {@link CoverageQuery}. */
export const coverageQuery = Joi.object<CoverageQuery>({
  ...filterKeys,
  by: Joi.valid(...COVERAGE_BY).default('kind'),
  of: Joi.valid(...COVERAGE_OF).default('names'),
});

/** Checks a {@link ValuesQuery}. */
export const valuesQuery = Joi.object<ValuesQuery>({ ...filterKeys, name: Joi.string().max(LONGEST_NAME).required() });

/** Checks a {@link KeepSurvey}. */
export const keepSurvey = Joi.object<KeepSurvey>({ ...filterKeys, title: Joi.string().trim().min(1).max(200).required() }).required();

const name = Joi.string().max(LONGEST_NAME).required();

const names = Joi.array().items(Joi.string().max(LONGEST_NAME)).min(1).max(200).required();

/** Checks a {@link CleanUpRequest}. */
export const cleanUpRequest = Joi.object<CleanUpRequest>({
  action: Joi.alternatives(
    Joi.object({ do: Joi.valid('merge').required(), names, to: Joi.string().min(1).max(LONGEST_NAME).required(), clash: Joi.valid(...CLASH_RULES).required() }),
    Joi.object({ do: Joi.valid('case').required(), name, style: Joi.valid(...CASES).required() }),
    Joi.object({ do: Joi.valid('trim').required(), name }),
    Joi.object({
      do: Joi.valid('replace').required(),
      name,
      values: Joi.array().items(Joi.string().max(100_000)).min(1).max(5000).required(),
      by: Joi.string().max(100_000).required(),
    }),
    Joi.object({ do: Joi.valid('split').required(), name, separator: Joi.string().min(1).max(20).required(), into: names.min(2) }),
    Joi.object({
      do: Joi.valid('join').required(),
      names: names.min(2),
      separator: Joi.string().max(20).allow('').required(),
      to: Joi.string().min(1).max(LONGEST_NAME).required(),
    }),
    Joi.object({ do: Joi.valid('convert').required(), name, unit: Joi.string().max(20).required() }),
    Joi.object({ do: Joi.valid('remove').required(), names }),
  ).required(),
  filter: Joi.object(filterKeys).required(),
  levels: Joi.array()
    .items(Joi.valid('document', 'variant', 'copy', 'body', 'occurrence'))
    .required(),
  chosen: Joi.array()
    .items(Joi.object({ file: id.required(), holder: Joi.string().max(2000).allow('').required(), name }))
    .max(100_000)
    .default([]),
}).required();

/** Checks a {@link CopyValues}. */
export const copyValues = Joi.object<CopyValues>({
  from: id.required(),
  names,
  to: Joi.object(filterKeys).default({}),
  files: Joi.array().items(id).max(100_000).default([]),
}).required();

/** Checks a {@link DraftsRequest}. */
export const draftsRequest = Joi.object<DraftsRequest>({ names }).required();

/** Checks a {@link SurveyTable}. */
export const surveyTable = Joi.object<SurveyTable>({
  format: Joi.valid('xlsx', 'csv').required(),
  filter: Joi.object(filterKeys).required(),
  names: Joi.array().items(Joi.string().max(LONGEST_NAME)).max(2000).required(),
}).required();

/** Checks a {@link FilesQuery}. */
export const filesQuery = Joi.object<FilesQuery>({
  ...filterKeys,
  offset: Joi.number().integer().min(0).max(10_000_000).default(0),
  limit: Joi.number().integer().min(1).max(1000).default(200),
  name: Joi.string().max(LONGEST_NAME),
});
