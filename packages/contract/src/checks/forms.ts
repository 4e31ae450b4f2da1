import { FormDocument, HOLDER_PRESETS, INPUT_LOOKS, KINDS, LEVELS, PANEL_COLUMNS, WHEN_HIDDEN } from '@rule/core/schema';
import Joi from 'joi';
import { FileChoice, MOST_FILLED, SavedForm, ValueSetDraft } from '../forms';
import { id } from './files';
import { filterKeys } from './values';

const text = (most: number) => Joi.string().max(most).allow('');

const key = Joi.string().min(1).max(60);

const input = (property: Joi.Schema) =>
  Joi.object({
    key: key.required(),
    property: property.required(),
    level: Joi.valid(...LEVELS).required(),
    look: Joi.valid(...INPUT_LOOKS).required(),
    caption: text(255).required(),
    help: text(2000).required(),
    width: Joi.number().integer().min(1).max(PANEL_COLUMNS).required(),
    shownWhen: text(10_000).required(),
    requiredWhen: text(10_000).required(),
    readOnlyWhen: text(10_000).required(),
    whenHidden: Joi.valid(...WHEN_HIDDEN).required(),
    holders: Joi.valid(...HOLDER_PRESETS).required(),
    holderNames: Joi.array().items(text(1000)).max(200).required(),
  });

const panels = (property: Joi.Schema) =>
  Joi.array()
    .items(
      Joi.object({
        key: key.required(),
        title: text(200).required(),
        shownWhen: text(10_000).required(),
        columns: Joi.number().integer().min(1).max(PANEL_COLUMNS),
        inputs: Joi.array().items(input(property)).max(500).required(),
      }),
    )
    .max(100)
    .required();

const head = {
  name: text(200).required(),
  kinds: Joi.array()
    .items(Joi.valid(...KINDS))
    .unique()
    .required(),
  classes: Joi.array().items(text(255)).max(500).unique().required(),
};

/** A form in documents. */
export const formDocument = Joi.object<FormDocument>({ ...head, panels: panels(text(255)) });

const form = Joi.object({ ...head, panels: panels(id) });

/** Checks a {@link SavedForm}. */
export const savedForm = Joi.object<SavedForm>({ id: id.allow(null).required(), form: form.required(), base: form.allow(null).default(null) }).required();

/** Checks the form order. */
export const formOrder = Joi.object<{ ids: readonly number[] }>({ ids: Joi.array().items(id).max(1000).unique().required() }).required();

/** Checks a {@link FileChoice}. */
export const fileChoice = Joi.object<FileChoice>({
  files: Joi.array().items(id).min(1).max(MOST_FILLED).unique(),
  filter: Joi.object(filterKeys),
  assembly: Joi.object({ file: id.required(), deep: Joi.boolean().required() }),
  without: Joi.array().items(text(255)).max(200).unique(),
})
  .xor('files', 'filter', 'assembly')
  .required();

const setValue = Joi.object({ property: id.required(), text: Joi.string().max(100_000).allow('').required() });

/** Adds or removes a favourite value. */
export const valueSetDraft = Joi.object<ValueSetDraft>({
  name: Joi.string().trim().min(1).max(200).required(),
  shared: Joi.boolean().required(),
  values: Joi.array().items(setValue).min(1).max(500).required(),
}).required();

/** Keeps a value at hand, or no longer. */
export const keepAtHand = Joi.object<{ property: number; text: string; on: boolean }>({
  property: id.required(),
  text: Joi.string().min(1).max(1000).required(),
  on: Joi.boolean().required(),
}).required();
