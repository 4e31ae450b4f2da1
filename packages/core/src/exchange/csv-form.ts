/*
 * How CSV files are written and read, apart from the code that does it: pages that only offer the choice need no parser.
 */
export const DELIMITERS = [',', ';', '\t', '|'] as const;
export const DECIMAL_SIGNS = ['.', ','] as const;
/** Encodings that CSV files are written in. */
export const WRITTEN_ENCODINGS = ['utf-8', 'utf-16le', 'windows-1252'] as const;
/** Encodings that they are read in. Nothing in a file says which one-byte encoding it has: the first is what spreadsheet programs of western Europe write. */
export const READ_ENCODINGS = [
  'utf-8',
  'utf-16le',
  'utf-16be',
  'windows-1252',
  'windows-1250',
  'windows-1251',
  'windows-1253',
  'windows-1254',
  'iso-8859-2',
  'iso-8859-15',
  'cp437',
  'cp850',
  'macroman',
  'shift_jis',
  'gb18030',
  'big5',
  'euc-kr',
] as const;
export type Encoding = (typeof READ_ENCODINGS)[number];

/** How a CSV file is written. */
export interface CsvForm {
  readonly delimiter: (typeof DELIMITERS)[number];
  readonly decimal: (typeof DECIMAL_SIGNS)[number];
  readonly encoding: (typeof WRITTEN_ENCODINGS)[number];
}

/** What any program reads: RFC 4180 in UTF-8. */
export const PLAIN_CSV: CsvForm = { delimiter: ',', decimal: '.', encoding: 'utf-8' };
