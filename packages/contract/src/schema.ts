import { FILE_FIELDS, KINDS, LONGEST_NAME, PropertyDraft } from '@rule/core/schema';
import { VALUE_TYPES } from '@rule/core/values';
import Joi from 'joi';

const length = Joi.number().integer().min(0).max(100_000).allow(null).required();
const limit = Joi.number().unsafe().allow(null).required();

/** A property's definition as it goes over the wire. What it means is checked by `checkDefinition` of the core. */
export const propertyDraft = Joi.object<PropertyDraft>({
  writtenName: Joi.string().max(LONGEST_NAME).allow('').required(),
  caption: Joi.string().max(LONGEST_NAME).allow('').required(),
  help: Joi.string().max(2000).allow('').required(),
  type: Joi.valid(...VALUE_TYPES).required(),
  unit: Joi.string().max(20).allow(null).required(),
  decimals: Joi.number().integer().min(0).max(12).allow(null).required(),
  kinds: Joi.array()
    .items(Joi.valid(...KINDS))
    .unique()
    .required(),
  feed: Joi.valid('typed', 'file').required(),
  fileField: Joi.valid(...FILE_FIELDS, null).required(),
  required: Joi.boolean().required(),
  minLength: length,
  maxLength: length,
  min: limit,
  max: limit,
  choices: Joi.array().items(Joi.string().max(1000).allow('')).max(5000).required(),
  placeholder: Joi.string().max(200).allow('').required(),
  searched: Joi.boolean().required(),
}).required();

/** Company-wide settings that reading and checking depend on. */
export interface Settings {
  readonly company: string;
  /** Patterns of texts that look like values and count as blank. */
  readonly standIns: readonly string[];
  /** Written name of the document property by which a drawing names its model. */
  readonly modelProperty: string;
  /** Written names of the properties that hold a part's mass and material. */
  readonly massProperty: string;
  readonly materialProperty: string;
  /** Densities of materials in kg/m³, for models that state none. */
  readonly densities: readonly { readonly material: string; readonly density: number }[];
  /** Words that mean the same in names: an abbreviation and what it stands for. */
  readonly abbreviations: readonly { readonly short: string; readonly long: string }[];
  /** Values that mean the same: groups of words. */
  readonly synonyms: readonly (readonly string[])[];
}

export const settings = Joi.object<Settings>({
  company: Joi.string().max(200).required(),
  standIns: Joi.array().items(Joi.string().max(100)).max(200).required(),
  modelProperty: Joi.string().max(LONGEST_NAME).allow('').required(),
  massProperty: Joi.string().max(LONGEST_NAME).allow('').required(),
  materialProperty: Joi.string().max(LONGEST_NAME).allow('').required(),
  densities: Joi.array()
    .items(Joi.object({ material: Joi.string().max(200).required(), density: Joi.number().positive().max(100_000).required() }))
    .max(5000)
    .required(),
  abbreviations: Joi.array()
    .items(Joi.object({ short: Joi.string().max(50).required(), long: Joi.string().max(100).required() }))
    .max(5000)
    .required(),
  synonyms: Joi.array()
    .items(Joi.array().items(Joi.string().max(100)).min(2).max(50))
    .max(2000)
    .required(),
}).required();
