import { inject } from '@angular/core';
import { FileDetails } from '@rule/contract';
import { Property, compareNames } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { PendingStore, catalogueFeature, plainHeld, showCell } from '../shared';

/** A holder of values in a file. */
export type Holder = FileDetails['holders'][number];
/** A value that a file holds. */
export type HeldThere = Holder['values'][number];

/** A state of a value, with its reason. */
interface ValueState {
  readonly text: string;
  readonly tone: string;
  readonly why: string;
}

/** Where a value is held, in words. */
export const PLACES: Readonly<Record<HeldThere['place'], string>> = {
  property: 'property',
  cell: 'title block cell',
  lettering: 'lettering of a cell',
  placed: 'block on the sheet',
  block: 'block definition',
  anchor: 'anchored text',
  field: "file's own field",
  fact: 'said by the model',
};

/** What the schema says of values. Call in an injection context. */
export function knownValues() {
  const store = inject(Store);
  const properties = store.selectSignal(catalogueFeature.selectAll);
  const standIns = store.selectSignal(catalogueFeature.selectStandIns);
  const pending = inject(PendingStore);
  const propertyOf = (value: HeldThere): Property | undefined =>
    value.place === 'property' ? properties().find((property) => property.writtenName === value.name) : undefined;
  /** A property whose name is nearly the same. */
  const nearOf = (value: HeldThere): Property | undefined => properties().find((property) => compareNames(property.writtenName, value.name) !== 'different');
  const violations = (value: HeldThere): string[] => {
    const property = propertyOf(value);
    return property ? showCell(value.held, property, standIns()).violations.map((violation) => violation.message) : [];
  };
  const states = (value: HeldThere, holder: Holder, file: number): ValueState[] => {
    const list: ValueState[] = [];
    if (value.standIn) list.push({ text: 'stand-in', tone: 'warn', why: 'Stand-in: counts as blank.' });
    if (value.place === 'property') {
      const property = propertyOf(value);
      if (!property) list.push({ text: nearOf(value) ? 'nearly a property' : 'stray', tone: 'warn', why: 'The schema does not know this written name.' });
      else if (property.retired) list.push({ text: 'retired', tone: '', why: 'The schema has retired this property.' });
      else list.push(...violations(value).map((why) => ({ text: 'against the schema', tone: 'bad', why })));
    }
    if (value.held.text === '') list.push({ text: 'empty', tone: '', why: 'The name exists, but has no value.' });
    const line = pending.lines().find((entry) => entry.file === file && entry.holder === holder.key && entry.name === value.name);
    if (line) list.push({ text: `becomes ${plainHeld(line.proposed)}`, tone: 'brass', why: 'Pending in the tray.' });
    return list;
  };
  return { propertyOf, nearOf, violations, states };
}
