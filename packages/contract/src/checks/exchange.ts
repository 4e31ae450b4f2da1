import { BESIDE_FACTS, DECIMAL_SIGNS, DELIMITERS, READ_ENCODINGS, ROW_LEVELS, TABLE_SHAPES, WRITTEN_ENCODINGS } from '@rule/core/exchange';
import Joi from 'joi';
import {
  ApplyTakeBack,
  CELL_VERDICTS,
  CellQuery,
  CloseSendOut,
  DecideRequest,
  DeliveryDraft,
  LAYOUT_ROWS,
  LayoutContent,
  LayoutDraft,
  ReadingChoice,
  SendOutRequest,
  TABLE_FORMATS,
  WatchedFolderDraft,
} from '../exchange';
import { APPLY_MODES } from '../values';
import { id } from './files';
import { filterKeys } from './values';

const layoutContent = Joi.object<LayoutContent>({
  filter: Joi.object(filterKeys).required(),
  rows: Joi.valid(...LAYOUT_ROWS).required(),
  level: Joi.valid(...ROW_LEVELS).required(),
  shape: Joi.valid(...TABLE_SHAPES).required(),
  columns: Joi.array()
    .items(Joi.object({ property: id.required(), header: Joi.string().max(255).allow('').required(), editable: Joi.boolean().required() }))
    .max(1000)
    .unique('property')
    .required(),
  protect: Joi.boolean().required(),
  csv: Joi.object({
    delimiter: Joi.valid(...DELIMITERS).required(),
    decimal: Joi.valid(...DECIMAL_SIGNS).required(),
    encoding: Joi.valid(...WRITTEN_ENCODINGS).required(),
  }).required(),
  bom: Joi.object({ layout: id.allow(null).required() }).allow(null),
  beside: Joi.array()
    .items(
      Joi.object({ fact: Joi.valid(...BESIDE_FACTS).required() }),
      Joi.object({ record: Joi.string().min(1).max(100).required() }),
      Joi.object({ cell: Joi.string().min(1).max(255).required() }),
    )
    .unique()
    .max(100),
});

/** Checks a {@link LayoutDraft}. */
export const layoutDraft = Joi.object<LayoutDraft>({
  name: Joi.string().trim().min(1).max(200).required(),
  purpose: Joi.string().trim().max(500).allow('').required(),
  shared: Joi.boolean().required(),
  content: layoutContent.required(),
}).required();

/** Checks a {@link SendOutRequest}. */
export const sendOutRequest = Joi.object<SendOutRequest>({
  format: Joi.valid(...TABLE_FORMATS).required(),
  content: layoutContent.required(),
  layout: id.allow(null).required(),
  recipient: Joi.string().trim().max(200).allow('').required(),
}).required();

/** Checks a {@link LayoutContent} whose rows are counted. */
export const layoutCountRequest = layoutContent.required();

const columnChoice = Joi.alternatives(
  Joi.object({ use: Joi.valid('property').required(), property: id.required() }),
  Joi.object({ use: Joi.valid('file', 'holder', 'draft', 'ignored').required() }),
);

/** Checks a {@link ReadingChoice}. */
export const readingChoice = Joi.object<ReadingChoice>({
  encoding: Joi.valid(...READ_ENCODINGS),
  delimiter: Joi.valid(...DELIMITERS),
  decimal: Joi.valid(...DECIMAL_SIGNS),
  sheet: Joi.string().max(255),
  headerRow: Joi.number().integer().min(1).max(1000),
  columns: Joi.object().pattern(/^\d{1,5}$/, columnChoice),
  files: Joi.object().pattern(Joi.string().max(4000), Joi.number().integer().min(0)),
  onlyBlanks: Joi.boolean(),
  leaveAmbiguous: Joi.boolean(),
  hold: Joi.boolean(),
}).required();

const cellFilterKeys = {
  verdict: Joi.valid(...CELL_VERDICTS),
  property: Joi.number().integer(),
  folder: Joi.string().max(1000).allow(''),
  code: Joi.string().max(60),
  row: id,
  search: Joi.string().max(200).allow(''),
  decision: Joi.valid('take', 'leave', 'open'),
};

/** Checks a {@link CellQuery}. */
export const cellQuery = Joi.object<CellQuery>({
  ...cellFilterKeys,
  offset: Joi.number().integer().min(0).required(),
  limit: Joi.number().integer().min(1).max(500).required(),
});

/** Checks a {@link DecideRequest}. */
export const decideRequest = Joi.object<DecideRequest>({
  cells: Joi.array().items(id).max(10_000).allow(null).required(),
  filter: Joi.object(cellFilterKeys).required(),
  decision: Joi.valid('take', 'leave').allow(null).required(),
}).required();

/** Checks a {@link CloseSendOut}. */
export const closeSendOut = Joi.object<CloseSendOut>({ closed: Joi.boolean().required() }).required();

/** Checks a {@link ApplyTakeBack}. */
export const applyTakeBack = Joi.object<ApplyTakeBack>({ mode: Joi.valid(...APPLY_MODES).default('whole') }).required();

/** Checks a {@link DeliveryDraft}. */
export const deliveryDraft = Joi.object<DeliveryDraft>({
  name: Joi.string().trim().min(1).max(200).required(),
  layout: id.required(),
  format: Joi.valid(...TABLE_FORMATS).required(),
  folder: Joi.string().trim().min(1).max(4000).required(),
  when: Joi.valid('release', 'hourly', 'daily', 'weekly').required(),
  state: Joi.string().max(200).allow('').required(),
  minute: Joi.number().integer().min(0).max(1439).required(),
  weekday: Joi.number().integer().min(0).max(6).required(),
  active: Joi.boolean().required(),
}).required();

/** Checks a {@link WatchedFolderDraft}. */
export const watchedFolderDraft = Joi.object<WatchedFolderDraft>({
  folder: Joi.string().trim().min(1).max(4000).required(),
  apply: Joi.boolean().required(),
  active: Joi.boolean().required(),
}).required();
