import { Anchor, LONGEST_ANCHOR } from '@rule/core/files';
import { FIT_STEPS, FitRule } from '@rule/core/lettering';
import {
  CELL_FACTS,
  CELL_LETTERS,
  CELL_SOURCES,
  CLASHES,
  CellForm,
  KINDS,
  Link,
  OUTLINES_OF,
  OutlineRule,
  PASSES,
  SCALE_FORMS,
  SCALE_RULES,
  ScaleForm,
} from '@rule/core/schema';
import { CELL_STATES } from '@rule/core/titleblocks';
import { NUMBER_FORMS } from '@rule/core/values';
import { FIELD_TYPES } from '@rule/core/vault';
import Joi from 'joi';
import {
  ANCHOR_AMONG,
  ANCHOR_IN,
  AnchorChange,
  BoundCells,
  BlockCellChange,
  BlockExchange,
  CellTray,
  CheckIn,
  FieldOrder,
  HolderQuery,
  LegacyList,
  RUN_CLASHES,
  RUN_KINDS,
  RecordEdits,
  RecordsQuery,
  SheetModel,
  SheetPageQuery,
  SheetsQuery,
  TakeUp,
  TypedCell,
  TryValues,
  VaultRun,
} from '../mapping';
import { id } from './files';

const form = Joi.object<CellForm>({
  letters: Joi.valid(...CELL_LETTERS).required(),
  unit: Joi.boolean().required(),
  decimals: Joi.number().integer().min(0).max(12),
  inUnit: Joi.string().max(20),
  decimalSign: Joi.valid('point', 'comma'),
  number: Joi.valid(...NUMBER_FORMS),
  denominator: Joi.number().integer().min(2).max(1024),
  date: Joi.string().max(20),
  language: Joi.string().pattern(/^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$/),
  person: Joi.valid('full', 'short', 'initials'),
  scale: Joi.object<ScaleForm>({
    as: Joi.valid(...SCALE_FORMS).required(),
    rule: Joi.valid(...SCALE_RULES).required(),
    words: Joi.string().max(100).allow('').required(),
  }),
  outlines: Joi.object<OutlineRule>({
    of: Joi.valid(...OUTLINES_OF).required(),
    layer: Joi.string().max(255).allow('').required(),
    holes: Joi.boolean().required(),
    unit: Joi.string().max(10),
  }),
}).required();

/** Checks a {@link FitRule}. */
const fit = Joi.object<FitRule>({
  steps: Joi.array()
    .items(Joi.valid(...FIT_STEPS))
    .unique()
    .required(),
  narrowest: Joi.number().greater(0).max(1).required(),
  abbreviations: Joi.array()
    .items(Joi.object({ word: Joi.string().trim().min(1).max(100).required(), short: Joi.string().trim().min(1).max(100).required() }))
    .max(500)
    .required(),
});

/**
 * Content of a cell.
 * @param property how properties are identified: by number, or by written name in documents
 */
export const piecesOf = (property: Joi.Schema) =>
  Joi.array()
    .items(
      Joi.object({ words: Joi.string().min(1).max(500).required() }),
      Joi.object({ property: property.required(), from: Joi.valid(...CELL_SOURCES).required(), form }),
      Joi.object({ fact: Joi.valid(...CELL_FACTS).required(), form }),
    )
    .max(20);

/** A binding's cell, and whether it leads. */
export const cellBinding = {
  block: Joi.string().max(255).allow(null).required(),
  cell: Joi.string().max(255).required(),
  leads: Joi.boolean().required(),
  fit,
};

const passing = {
  in: Joi.valid(...PASSES).required(),
  out: Joi.valid(...PASSES).required(),
  onClash: Joi.valid(...CLASHES).required(),
};

/**
 * Parts of a link.
 * @param property how properties are identified
 */
export const linkOf = (property: Joi.Schema) =>
  Joi.object({
    field: Joi.string().max(100).required(),
    kinds: Joi.array()
      .items(Joi.valid(...KINDS))
      .min(1)
      .unique()
      .required(),
    classes: Joi.array().items(Joi.string().max(100)).unique().max(500).default([]),
    at: Joi.array()
      .items(
        Joi.object({ property: property.required(), of: Joi.valid('model') }),
        Joi.object({ place: Joi.valid('property', 'field').required(), name: Joi.string().max(255).required() }),
      )
      .min(1)
      .max(20)
      .required(),
    ...passing,
    states: Joi.array()
      .items(Joi.object({ state: Joi.string().max(100).required(), ...passing }))
      .unique('state')
      .max(50)
      .default([]),
    step: Joi.string().max(100).allow(null).default(null),
  });

/** Checks a {@link BoundCells}. */
export const boundCells = Joi.object<BoundCells>({
  cells: Joi.array()
    .items(Joi.object({ ...cellBinding, shows: piecesOf(id).required() }))
    .min(1)
    .max(2000)
    .required(),
}).required();

/** Checks a {@link SheetsQuery}. */
export const sheetsQuery = Joi.object<SheetsQuery>({
  block: Joi.string().max(255).required(),
  cell: Joi.string().max(255),
  state: Joi.valid(...CELL_STATES),
  offset: Joi.number().integer().min(0).default(0),
  limit: Joi.number().integer().min(1).max(1000).default(200),
});

/** Checks a {@link HolderQuery}. */
export const holderQuery = Joi.object<HolderQuery>({ holder: Joi.string().max(500).required() });

/** Checks a {@link BlockExchange}. */
export const blockExchange = Joi.object<BlockExchange>({
  from: Joi.string().min(1).max(300).required(),
  to: Joi.string().min(1).max(300).required(),
  cells: Joi.object().pattern(Joi.string().max(300), Joi.string().max(300).allow(null)),
  drawings: Joi.array().items(id).max(10_000).unique().allow(null).default(null),
}).required();

const tag = Joi.string().min(1).max(255).required();
const prompt = Joi.string().allow('').max(255).required();
const point = Joi.object({ x: Joi.number().required(), y: Joi.number().required() }).required();

/** Checks a {@link BlockCellChange}. */
export const blockCellChange = Joi.object<BlockCellChange>({
  block: Joi.string().min(1).max(300).required(),
  steps: Joi.array()
    .items(
      Joi.object({ do: Joi.valid('add').required(), tag, prompt, like: tag, by: point }),
      Joi.object({ do: Joi.valid('make').required(), tag, prompt, text: Joi.string().max(2000).required(), at: point }),
      Joi.object({ do: Joi.valid('name').required(), tag, to: tag, prompt }),
      Joi.object({ do: Joi.valid('move').required(), tag, by: point }),
      Joi.object({ do: Joi.valid('remove').required(), tag }),
    )
    .min(1)
    .max(200)
    .required(),
  drawings: Joi.array().items(id).max(10_000).unique().allow(null).default(null),
}).required();

/** Checks an {@link AnchorChange}. */
export const anchorChange = Joi.object<AnchorChange>({
  file: id.required(),
  name: Joi.string().max(400).required(),
  anchor: Joi.object<Anchor>({
    kind: Joi.valid('cell', 'label').required(),
    name: Joi.string()
      .trim()
      .min(1)
      .max(LONGEST_ANCHOR)
      .pattern(/^[^\p{Cc}]+$/u)
      .messages({ 'string.pattern.base': 'The name of a cell has no line breaks.' })
      .required(),
  })
    .allow(null)
    .required(),
  among: Joi.valid(...ANCHOR_AMONG).required(),
  in: Joi.valid(...ANCHOR_IN).required(),
}).required();

/** Checks a {@link SheetPageQuery}. */
export const sheetPageQuery = Joi.object<SheetPageQuery>({
  offset: Joi.number().integer().min(0).default(0),
  limit: Joi.number().integer().min(1).max(1000).default(200),
});

/** Checks a {@link CellTray}. */
export const cellTray = Joi.object<CellTray>({
  block: Joi.string().max(255).required(),
  cells: Joi.array().items(Joi.string().max(255)).max(1000).allow(null).required(),
  drawings: Joi.array().items(id).max(50_000).allow(null).required(),
  wishes: Joi.array()
    .items(Joi.valid('stale', 'lacking', 'does not fit', 'would be erased'))
    .min(1)
    .unique()
    .required(),
}).required();

/** Checks a {@link TypedCell}. */
export const typedCell = Joi.object<TypedCell>({
  holder: Joi.string().max(500).required(),
  tag: Joi.string().max(255).required(),
  text: Joi.string().max(10_000).allow('').required(),
}).required();

/** Checks a {@link TakeUp}. */
export const takeUpTexts = Joi.object<TakeUp>({
  block: Joi.string().max(255).required(),
  cells: Joi.array().items(Joi.string().max(255)).max(1000).allow(null).required(),
  drawings: Joi.array().items(id).max(50_000).allow(null).required(),
}).required();

/** Checks a {@link SheetModel}. */
export const sheetModel = Joi.object<SheetModel>({ layout: Joi.string().max(255).required(), model: id.allow(null).required() }).required();

/** Checks a {@link Link} without its number. */
export const linkDraft = linkOf(id).required() as Joi.ObjectSchema<Omit<Link, 'id'>>;

/** Checks whether a library is the vault's. */
export const inVault = Joi.object<{ inVault: boolean }>({ inVault: Joi.boolean().required() }).required();

/** Checks a {@link CheckIn}. */
export const checkIn = Joi.object<CheckIn>({
  settled: Joi.object().pattern(Joi.string().pattern(/^\d+$/), Joi.valid('file', 'record')).default({}),
  over: Joi.number().integer().min(1),
  titleBlocks: Joi.boolean().default(false),
}).required();

/** Checks the title of a kept rehearsal. */
export const keepRehearsal = Joi.object<{ title: string }>({ title: Joi.string().trim().min(1).max(200).required() }).required();

/** Checks the files of a rehearsal. */
export const rehearseRun = Joi.object<{ files: number[] | null }>({ files: Joi.array().items(id).max(100_000).allow(null).required() }).required();

/** Checks a {@link VaultRun}. */
export const vaultRun = Joi.object<VaultRun>({
  kind: Joi.valid(...RUN_KINDS).default('check in'),
  files: Joi.array().items(id).min(1).max(100_000).unique().required(),
  clash: Joi.valid(...RUN_CLASHES).required(),
  titleBlocks: Joi.boolean().default(true),
}).required();

/** Checks a {@link RecordsQuery}. */
export const recordsQuery = Joi.object<RecordsQuery>({
  folder: Joi.string().max(4096).allow(''),
  text: Joi.string().max(200).allow(''),
  state: Joi.string().max(100),
  kind: Joi.valid(...KINDS),
  offset: Joi.number().integer().min(0).default(0),
  limit: Joi.number().integer().min(1).max(1000).default(200),
});

const fieldName = Joi.string().max(100);
const recordValue = Joi.string().max(10_000).allow('', null);

/** Checks {@link TryValues}. */
export const tryValues = Joi.object<TryValues>({
  state: Joi.string().max(100).required(),
  edits: Joi.array()
    .items(Joi.object({ link: id.required(), file: recordValue, record: recordValue }))
    .unique('link')
    .max(1000)
    .required(),
}).required();

/** Checks {@link RecordEdits}. */
export const recordEdits = Joi.object<RecordEdits>({
  title: Joi.string().trim().min(1).max(200).required(),
  edits: Joi.array()
    .items(Joi.object({ entry: id.required(), field: fieldName.required(), before: recordValue.required(), after: recordValue.required() }))
    .min(1)
    .max(50_000)
    .required(),
}).required();

/** Checks a {@link FieldOrder}. */
export const fieldOrder = Joi.object<FieldOrder>({
  property: id,
  name: fieldName,
  field: Joi.object({
    name: fieldName.trim().min(1).required(),
    type: Joi.valid(...FIELD_TYPES).required(),
    length: Joi.number().integer().min(1).max(10_000).allow(null).required(),
    choices: Joi.array().items(Joi.string().max(500)).max(5000).unique().required(),
    initial: Joi.string().max(10_000).allow(null).required(),
    required: Joi.boolean().required(),
    kinds: Joi.array()
      .items(Joi.valid(...KINDS))
      .unique()
      .required(),
    classes: Joi.array().items(Joi.string().max(100)).unique().required(),
    fixed: Joi.boolean().required(),
    retired: Joi.boolean().required(),
  }),
})
  .xor('property', 'name')
  .and('name', 'field')
  .required();

/** Checks a {@link LegacyList}. */
export const legacyList = Joi.object<LegacyList>({
  headers: Joi.array().items(Joi.string().max(1000).allow('')).min(1).max(500).required(),
  rows: Joi.array()
    .items(Joi.array().items(Joi.string().max(10_000).allow('')).max(500))
    .max(50_000)
    .required(),
  key: Joi.string().max(1000).required(),
  keyField: fieldName.allow(null).required(),
  columns: Joi.array()
    .items(Joi.object({ header: Joi.string().max(1000).required(), field: fieldName.required() }))
    .unique('field')
    .min(1)
    .max(500)
    .required(),
}).required();

/** Checks a folder to bring in. */
export const folderOf = Joi.object<{ folder: string }>({ folder: Joi.string().max(4096).allow('').required() }).required();
