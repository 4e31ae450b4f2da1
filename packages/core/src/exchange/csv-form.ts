/* CSV options, separate from the parser so that pages need not load it. */
export const DELIMITERS = [',', ';', '\t', '|'] as const;
export const DECIMAL_SIGNS = ['.', ','] as const;
/** Encodings for writing. */
export const WRITTEN_ENCODINGS = ['utf-8', 'utf-16le', 'windows-1252'] as const;
/** Encodings for reading. One-byte encodings cannot be detected; the first is common in Western Europe. */
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

/** CSV options for writing. */
export interface CsvForm {
  readonly delimiter: (typeof DELIMITERS)[number];
  readonly decimal: (typeof DECIMAL_SIGNS)[number];
  readonly encoding: (typeof WRITTEN_ENCODINGS)[number];
}

/** Default: RFC 4180 in UTF-8. */
export const PLAIN_CSV: CsvForm = { delimiter: ',', decimal: '.', encoding: 'utf-8' };
