import { GridRow, TrayLine } from '@rule/contract';
import { InnerLevel, Kind, Property, isHeldAt, reaches, slotOf } from '@rule/core/schema';

/** The kind of file with holders of a level. */
export const KIND_OF_LEVEL: Readonly<Record<InnerLevel, Kind>> = { variant: 'part', body: 'part', occurrence: 'assembly', sheet: 'drawing' };

/** Plural names of levels. */
export const LEVEL_WORDS: Readonly<Record<InnerLevel, readonly [one: string, many: string]>> = {
  variant: ['variant', 'variants'],
  body: ['body', 'bodies'],
  occurrence: ['occurrence', 'occurrences'],
  sheet: ['sheet', 'sheets'],
};

/** The holder of a row's value; empty for the file. */
export const holderOf = ({ holder }: GridRow, property: Property): string => (holder && isHeldAt(property, holder.level) ? holder.key : '');

/** Whether a row can have a value of a property. */
export function has(row: GridRow, property: Property): boolean {
  if (!reaches(property, row.file.kind, row.file.class)) return false;
  if (holderOf(row, property) === '') return isHeldAt(property, 'document');
  return row.holder!.level !== 'sheet' || row.holder!.homes[property.id] !== undefined || (property.feed !== 'typed' && property.feed !== 'counted');
}

/** Address of a row's value. */
export function addressOf(row: GridRow, property: Property): Pick<TrayLine, 'file' | 'holder' | 'place' | 'name'> {
  const holder = holderOf(row, property);
  const cell = holder === '' ? undefined : row.holder!.homes[property.id];
  return { file: row.file.id, holder, ...(cell === undefined ? slotOf(property, row.file.kind) : { place: 'cell' as const, name: cell }) };
}

/** Key of a grid cell. */
export const cellKey = (file: number, holder: string, property: number): string => `${file}/${property}/${holder}`;
