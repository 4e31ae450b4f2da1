import { BOM_FACTS, BOM_STRUCTURES, BomContent, CLASS_RULES, LIST_GROWTHS, LIST_SIDES, VIEW_EDGES } from '@rule/core/bom';
import Joi from 'joi';
import {
  BOM_FORMATS,
  BomLayout,
  BomLayoutDraft,
  BomNumber,
  BomRenumber,
  BomRequest,
  BomRowRequest,
  BomTyped,
  CompareBoms,
  KeepBom,
  LIST_CORNERS,
  PlaceMarks,
  PutDrawn,
  SendBom,
  SetMark,
} from '../bom';
import { id } from './files';

const of = Joi.alternatives(Joi.object({ fact: Joi.valid(...Object.keys(BOM_FACTS)).required() }), Joi.object({ property: id.required() }));

const content = Joi.object<BomContent>({
  structure: Joi.valid(...BOM_STRUCTURES).required(),
  key: Joi.array().items(id).max(10).unique().required(),
  columns: Joi.array()
    .items(
      Joi.object({
        of: of.required(),
        header: Joi.string().trim().max(200).allow('').required(),
        width: Joi.number().integer().min(30).max(2000).allow(null).required(),
        sum: Joi.boolean().required(),
      }),
    )
    .max(100)
    .unique((a: BomContent['columns'][number], b: BomContent['columns'][number]) => JSON.stringify(a.of) === JSON.stringify(b.of))
    .messages({ 'array.unique': 'a list has each column once' })
    .required(),
  sort: Joi.array()
    .items(Joi.object({ of: of.required(), descending: Joi.boolean().required() }))
    .max(5)
    .required(),
  group: of.allow(null).required(),
  classes: Joi.array()
    .items(
      Joi.object({
        class: id.required(),
        rule: Joi.valid(...CLASS_RULES).required(),
        property: id.allow(null).required(),
      }),
    )
    .max(200)
    .unique('class')
    .required(),
  bodies: Joi.boolean().required(),
  assemblies: Joi.boolean().required(),
  numbers: Joi.object({
    start: Joi.number().integer().min(0).max(1_000_000).required(),
    step: Joi.number().integer().min(1).max(10_000).required(),
    reuse: Joi.boolean().required(),
  }).required(),
  drawn: Joi.object({
    block: Joi.string().min(1).max(255).required(),
    cells: Joi.array()
      .items(Joi.object({ tag: Joi.string().min(1).max(255).required(), of: of.required() }))
      .max(100)
      .unique('tag')
      .required(),
    growth: Joi.valid(...LIST_GROWTHS).required(),
    rowsPerColumn: Joi.number().integer().min(1).max(10_000).allow(null).required(),
    side: Joi.valid(...LIST_SIDES).required(),
    marks: Joi.object({ block: Joi.string().min(1).max(255).required(), tag: Joi.string().min(1).max(255).required() })
      .allow(null)
      .required(),
  }).allow(null),
});

const request = { content: content.required(), layout: id.allow(null).required(), root: Joi.string().max(4000) };
const row = Joi.string().max(100_000).required();

const draft = {
  name: Joi.string().trim().min(1).max(100).required(),
  purpose: Joi.string().trim().max(500).allow('').required(),
  shared: Joi.boolean().required(),
  content: content.required(),
};

/** Checks a {@link BomLayoutDraft}. */
export const bomLayout = Joi.object<BomLayoutDraft>(draft).required();

/** Checks a {@link BomLayoutDraft} with the version that was opened. */
export const bomLayoutChange = Joi.object<BomLayoutDraft & Pick<BomLayout, 'version'>>({
  ...draft,
  version: Joi.number().integer().min(1).required(),
}).required();

/** Checks a {@link BomRequest}. */
export const bomRequest = Joi.object<BomRequest>(request).required();

/** Checks a {@link BomRowRequest}. */
export const bomRowRequest = Joi.object<BomRowRequest>({ ...request, row }).required();

/** Checks a {@link BomTyped}. */
export const bomTyped = Joi.object<BomTyped>({
  ...request,
  row: row.allow(null),
  property: id.required(),
  text: Joi.string().max(100_000).allow('').required(),
  member: Joi.string().max(4000),
}).required();

/** Checks a {@link BomNumber}. */
export const bomNumber = Joi.object<BomNumber>({ ...request, row, number: Joi.number().integer().min(0).max(10_000_000).required() }).required();

/** Checks a {@link BomRenumber}. */
export const bomRenumber = Joi.object<BomRenumber>({ ...request, write: Joi.boolean().required() }).required();

/** Checks a {@link KeepBom}. */
export const keepBom = Joi.object<KeepBom>({ ...request, title: Joi.string().trim().min(1).max(200).required() }).required();

/** Checks a {@link SendBom}. */
export const sendBom = Joi.object<SendBom>({ ...request, format: Joi.valid(...BOM_FORMATS).required() }).required();

const side = Joi.alternatives(Joi.object({ kept: id.required() }), Joi.object({ ...request, assembly: id.required() })).required();

/** Checks a {@link CompareBoms}. */
export const compareBomsBody = Joi.object<CompareBoms>({ before: side, after: side }).required();

/** Checks a query for kept lists. */
export const keptBomsQuery = Joi.object<{ assembly?: number }>({ assembly: id });

/** Checks the format of a kept list. */
export const keptBomFormat = Joi.object<{ format: SendBom['format'] }>({ format: Joi.valid(...BOM_FORMATS).default('xlsx') });

const sheet = Joi.string().min(1).max(255);

/** Checks a {@link PutDrawn}. */
export const putDrawn = Joi.object<PutDrawn>({
  ...request,
  drawing: id.allow(null).required(),
  sheet: sheet.allow(null).required(),
  corner: Joi.alternatives(
    Joi.valid(...LIST_CORNERS, null),
    Joi.object({ x: Joi.number().min(-1e6).max(1e6).required(), y: Joi.number().min(-1e6).max(1e6).required() }),
  ).required(),
  erase: Joi.boolean().required(),
}).required();

/** Checks a {@link SetMark}. */
export const setMark = Joi.object<SetMark>({
  ...request,
  drawing: id.required(),
  sheet: sheet.required(),
  holder: Joi.string().max(400).allow(null).required(),
  row: row.allow(null),
}).required();

/** Checks a {@link PlaceMarks}. */
export const placeMarks = Joi.object<PlaceMarks>({
  ...request,
  drawing: id.required(),
  sheet: sheet.required(),
  edge: Joi.valid(...VIEW_EDGES).required(),
  view: Joi.number().integer().min(0).max(1000).required(),
}).required();
