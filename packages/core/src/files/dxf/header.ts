/** Header variables of a document, with their field names. */
export const FIELDS: Readonly<Record<string, string>> = {
  $TITLE: 'title',
  $SUBJECT: 'subject',
  $AUTHOR: 'author',
  $KEYWORDS: 'keywords',
  $LASTSAVEDBY: 'last saved by',
  $REVISIONNUMBER: 'version id',
  $PROJECTNAME: 'product name',
};
/** Header timestamps: Julian dates in local time. */
export const DATES: Readonly<Record<string, string>> = { $TDCREATE: 'created', $TDUPDATE: 'modified' };

/** Julian day number of 1970-01-01. */
const EPOCH_DAY = 2_440_588;

/**
 * A Julian date as ISO 8601 without zone; `null` if invalid. The fraction counts from midnight (the DXF reference gives 2451544.91568287 as
 * 1999-12-31, 9:58:35 in the evening).
 */
export function julianInstant(value: number): string | null {
  if (!Number.isFinite(value) || value < 1_721_426 || value >= 5_373_485) return null;
  return new Date(Math.round((value - EPOCH_DAY) * 86_400) * 1000).toISOString().slice(0, 19);
}

/** `$INSUNITS` codes with units. */
export const INSERT_UNITS: Readonly<Record<string, string>> = {
  '1': 'in',
  '2': 'ft',
  '4': 'mm',
  '5': 'cm',
  '6': 'm',
  '7': 'km',
  '9': 'mil',
  '10': 'yd',
  '13': 'µm',
  '14': 'dm',
};
