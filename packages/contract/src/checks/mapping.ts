import { KINDS } from '@rule/core/schema';
import { CLASHES, Link, PASSES } from '@rule/core/vault';
import Joi from 'joi';
import { BindingRequest, BlockQuery, BlockTray, BomColumns, BomLayout, CheckIn } from '../mapping';
import { id } from './files';

/** Checks a {@link BindingRequest}. */
export const bindingRequest = Joi.object<BindingRequest>({
  block: Joi.string().max(255).required(),
  tag: Joi.string().max(255).required(),
  property: id.allow(null).required(),
  source: Joi.valid('drawing', 'model').required(),
  format: Joi.valid('plain', 'with unit', 'upper case').required(),
}).required();

/** Checks a {@link BlockQuery}. */
export const blockQuery = Joi.object<BlockQuery>({ block: Joi.string().max(255).required() });

/** Checks a {@link BlockTray}. */
export const blockTray = Joi.object<BlockTray>({
  block: Joi.string().max(255).required(),
  drawings: Joi.array().items(id).max(10_000).allow(null).required(),
}).required();

/** Checks a {@link BomColumns}. */
export const bomColumns = Joi.object<BomColumns>({ columns: Joi.array().items(id).max(100).unique().required() }).required();

/** Checks the layout of a bill of materials. */
export const bomLayout = Joi.object<Omit<BomLayout, 'id'>>({
  name: Joi.string().trim().min(1).max(100).required(),
  columns: Joi.array().items(id).max(100).unique().required(),
}).required();

/** Checks a {@link Link}. */
export const linkDraft = Joi.object<Link>({
  field: Joi.string().max(100).required(),
  kind: Joi.valid(...KINDS).required(),
  place: Joi.valid('property', 'field').required(),
  name: Joi.string().max(255).required(),
  in: Joi.valid(...PASSES).required(),
  out: Joi.valid(...PASSES).required(),
  onClash: Joi.valid(...CLASHES).required(),
}).required();

/** Checks a {@link CheckIn}. */
export const checkIn = Joi.object<CheckIn>({
  settled: Joi.object().pattern(Joi.string().pattern(/^\d+$/), Joi.valid('file', 'record')).default({}),
}).required();
