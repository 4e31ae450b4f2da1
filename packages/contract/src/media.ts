/** The media type of an Office Open XML workbook (ECMA-376). */
export const XLSX = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';
/** Largest returned table, in bytes. */
export const LARGEST_TABLE = 128 * 1024 * 1024;
/** Largest schema document or list source, in bytes. */
export const LARGEST_DOCUMENT = 20 * 1024 * 1024;
