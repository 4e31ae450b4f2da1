import Joi from 'joi';
import { LibraryDraft, LibraryPlace, SettleModel, SettlePart, UploadDraft } from '../files';

/** Number of a stored item. */
export const id = Joi.number().integer().min(1).max(2_147_483_647);

/** Checks a {@link LibraryPlace}. */
export const libraryPlace = Joi.object<LibraryPlace>({ path: Joi.string().trim().min(1).max(4000).required() }).required();

/** Checks a {@link UploadDraft}. */
export const uploadDraft = Joi.object<UploadDraft>({ name: Joi.string().trim().min(1).max(100).required() }).required();

/** Checks a {@link LibraryDraft}. */
export const library = Joi.object<LibraryDraft>({
  name: Joi.string().trim().min(1).max(100).required(),
  path: Joi.string().trim().min(1).max(1000).required(),
}).required();

/** Checks a {@link SettleModel}. */
export const settleModel = Joi.object<SettleModel>({ model: id.allow(null).required() }).required();

/** Checks a {@link SettlePart}. */
export const settlePart = Joi.object<SettlePart>({ product: Joi.string().max(2000).required(), part: id.allow(null).required() }).required();

/** Checks a picture query. `v` is the file's version, for browser caches. */
export const pictureQuery = Joi.object<{ body?: string; v?: string }>({ body: Joi.string().min(1).max(400), v: Joi.string().max(64) });
