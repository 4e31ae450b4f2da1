import { INNER_LEVELS, KINDS } from '@rule/core/schema';
import Joi from 'joi';
import {
  APPLY_MODES,
  AcceptLines,
  ApplyTray,
  CheckQuery,
  Clause,
  FINDING_KINDS,
  FileFilter,
  GridQuery,
  GridViewContent,
  GridViewDraft,
  GroupBy,
  HistoryQuery,
  FILE_SUBJECTS,
  MOST_FOUND,
  NAMED_SUBJECTS,
  OPERATORS,
  ProposedValues,
  ReplacementRequest,
  SUBJECTS,
  SettleLine,
  TrayFiles,
  TrayLines,
  UndoStep,
  UpToDate,
  clauseProblem,
} from '../values';
import { id } from './files';

/** Checks a {@link Clause}. */
export const clause = Joi.object<Clause>({
  subject: Joi.valid(...SUBJECTS).required(),
  name: Joi.string()
    .max(1000)
    .when('subject', { is: Joi.valid(...NAMED_SUBJECTS), then: Joi.required() }),
  operator: Joi.valid(...OPERATORS).required(),
  text: Joi.string().max(1000).allow(''),
})
  .custom((value: Clause, helpers) => {
    const problem = clauseProblem(value);
    return problem === null ? value : helpers.message({ custom: `A condition is incomplete. ${problem}` });
  })
  .id('clause');

/** Checks filter conditions. */
export const clauses = Joi.array().items(clause).max(50);

/** Checks conditions evaluated when files are read. */
export const fileClauses = Joi.array()
  .items(clause.keys({ subject: Joi.valid(...FILE_SUBJECTS).required() }).id('fileClause'))
  .max(50);

const groupBy = Joi.string().pattern(/^(folder|kind|class|\d{1,9})$/);

/** In URLs, clauses are JSON. */
const whereInAddress = Joi.alternatives(clauses, Joi.string().max(20_000).custom(parseClauses));

function parseClauses(text: string): unknown {
  const checked = clauses.validate(JSON.parse(text));
  if (checked.error) throw checked.error;
  return checked.value;
}

/** Checks for keys of a {@link FileFilter}. */
export const filterKeys = {
  library: id,
  folder: Joi.string().max(1000).allow(''),
  kind: Joi.valid(...KINDS),
  class: Joi.number().integer().min(0),
  search: Joi.string().max(200).allow(''),
  where: whereInAddress,
  assembly: id,
  within: id,
  finding: Joi.valid(...FINDING_KINDS),
};

/** Checks a {@link FileFilter}. */
export const fileFilter = Joi.object<FileFilter>(filterKeys);

const gridView = Joi.object<GridViewContent>({
  columns: Joi.array().items(id).max(1000).unique().required(),
  frozen: Joi.number().integer().min(0).max(10).required(),
  widths: Joi.object()
    .pattern(/^\d{1,9}$/, Joi.number().integer().min(40).max(1200))
    .required(),
  sort: Joi.string()
    .pattern(/^(file|\d{1,9})$/)
    .required(),
  descending: Joi.boolean().required(),
  group: groupBy.allow(null).required(),
  level: Joi.valid(...INNER_LEVELS, null).default(null),
  filter: Joi.object(filterKeys).required(),
});

/** Checks a {@link GridViewDraft}. */
export const gridViewDraft = Joi.object<GridViewDraft>({
  name: Joi.string().trim().min(1).max(200).required(),
  shared: Joi.boolean().required(),
  content: gridView.required(),
}).required();

/** Checks a {@link FileFilter} with grouping. */
export const groupQuery = Joi.object<FileFilter & { group: GroupBy }>({ ...filterKeys, group: groupBy.required() });

/** Checks a property number. */
export const reasonQuery = Joi.object<{ property: number }>({ property: id.required() });

/** Checks a {@link GridQuery}. */
export const gridQuery = Joi.object<GridQuery>({
  level: Joi.valid(...INNER_LEVELS),
  ...filterKeys,
  group: groupBy,
  sort: Joi.string()
    .pattern(/^(file|\d{1,9})$/)
    .default('file'),
  descending: Joi.boolean().default(false),
  offset: Joi.number().integer().min(0).max(10_000_000).default(0),
  limit: Joi.number().integer().min(1).max(1000).default(200),
});

/** Number of a file, or negative for a wide holder. */
export const target = Joi.number().integer().min(-2_147_483_648).max(2_147_483_647).invalid(0);

/** Checks a {@link ProposedValues}. */
export const proposedValues = Joi.object<ProposedValues>({
  values: Joi.array()
    .items(
      Joi.object({
        file: target.required(),
        holder: Joi.string().max(2000).allow(''),
        property: id.required(),
        text: Joi.string().max(100_000).allow('').required(),
      }),
    )
    .min(1)
    .max(MOST_FOUND)
    .required(),
  reason: Joi.string().max(200).default('typed in the grid'),
}).required();

/** Checks a {@link ReplacementRequest}. */
export const replacementRequest = Joi.object<ReplacementRequest>({
  filter: fileFilter.required(),
  properties: Joi.array().items(id).min(1).max(1000).unique().required(),
  find: Joi.string().max(1000).allow('').required(),
  by: Joi.string().max(1000).allow('').required(),
  whole: Joi.boolean().required(),
  matchCase: Joi.boolean().required(),
}).required();

/** Checks a {@link ApplyTray}. */
export const applyTray = Joi.object<ApplyTray>({
  mode: Joi.valid(...APPLY_MODES).default('whole'),
  title: Joi.string().max(200).allow('').default(''),
}).required();

const chosenLines = Joi.alternatives(Joi.valid('all'), Joi.array().items(id).min(1).max(100_000)).required();

/** Checks a {@link TrayLines}. */
export const trayLines = Joi.object<TrayLines>({ lines: chosenLines }).required();

/** Checks a {@link AcceptLines}. */
export const acceptLines = Joi.object<AcceptLines>({
  lines: chosenLines,
  accepted: Joi.boolean().required(),
}).required();

/** Checks a {@link TrayFiles}. */
export const trayFiles = Joi.object<TrayFiles>({ files: Joi.array().items(Joi.number().integer().required()).min(1).max(5000).required() }).required();

/** Checks a {@link UndoStep}. */
export const undoStep = Joi.object<UndoStep>({ again: Joi.boolean().required() }).required();

/** Checks a {@link HistoryQuery}. */
export const historyQuery = Joi.object<HistoryQuery>({ before: id, limit: Joi.number().integer().min(1).max(1000).default(200) });

/** Checks a {@link UpToDate}. */
export const upToDate = Joi.object<UpToDate>({
  files: Joi.array().items(id).min(1).max(50_000),
  filter: fileFilter,
  properties: Joi.array().items(id).min(1).max(5000),
})
  .or('files', 'filter')
  .required();

/** Checks a {@link CheckQuery}. */
export const checkQuery = Joi.object<CheckQuery>({ library: id.required(), after: Joi.number().integer().min(0).default(0) });

/** Checks a {@link SettleLine}. */
export const settleLine = Joi.object<SettleLine>({ line: id.required(), take: Joi.valid('mine', 'theirs').required() }).required();
