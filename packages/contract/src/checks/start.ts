import Joi from 'joi';
import { StartPlan } from '../start';

const id = Joi.number().integer().min(1).max(2_147_483_647);

/** Checks a {@link StartPlan}. */
export const startPlan = Joi.object<StartPlan>({
  folder: Joi.string().max(1000).allow('').required(),
  sheets: Joi.array().items(Joi.string().max(10)).max(20).unique().required(),
  block: Joi.string().max(255).allow(null).required(),
  unit: Joi.valid('mm', 'in').required(),
  drawings: Joi.array().items(id).max(50).unique().default([]),
}).required();

const files = Joi.array().items(id).min(1).max(5000).unique().required();

/** Checks file numbers. */
export const toDoFiles = Joi.object<{ files: readonly number[] }>({ files }).required();
