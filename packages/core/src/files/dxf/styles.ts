import { TextStyle } from '../../lettering/fonts';
import { DxfGroups, Entity } from './groups';

/** A text style with defaults for multi-line text: width factor and oblique angle in degrees. */
export interface DrawingStyle {
  readonly font: TextStyle;
  readonly width: number;
  readonly oblique: number;
}

function fontOf(groups: DxfGroups, record: Entity): TextStyle {
  const { codes } = groups.index;
  const file = groups.get(record, 3)?.trim() ?? '';
  for (let k = record.from + 1; k + 1 < record.to; k++)
    if (codes[k] === 1001 && groups.raw(k) === 'ACAD' && codes[k + 1] === 1000) return { file, family: groups.value(k + 1).trim() };
  return { file };
}

/**
 * Text styles by lower-case name.
 * @param tables table records
 */
export function stylesOf(groups: DxfGroups, tables: readonly Entity[]): Map<string, DrawingStyle> {
  const styles = new Map<string, DrawingStyle>();
  for (const record of tables)
    if (record.type === 'STYLE')
      styles.set((groups.get(record, 2) ?? '').toLowerCase(), {
        font: fontOf(groups, record),
        width: groups.number(record, 41, 1) || 1,
        oblique: groups.number(record, 50, 0),
      });
  return styles;
}

/** Defaults for undefined styles. */
export const UNDEFINED_STYLE: DrawingStyle = { font: { file: '' }, width: 1, oblique: 0 };

/** A text's style; undefined ones have no font. */
export const styleOfText = (groups: DxfGroups, styles: ReadonlyMap<string, DrawingStyle>, text: Entity): DrawingStyle =>
  styles.get((groups.get(text, 7) ?? 'Standard').toLowerCase()) ?? UNDEFINED_STYLE;
