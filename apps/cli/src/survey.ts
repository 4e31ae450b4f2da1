import { FileReading } from '@rule/core/files';
import { TypeGuess, ValueCount, guessType } from '@rule/core/survey';
import { HeldValue, StandIns } from '@rule/core/values';
import { Row } from './output';

export const SURVEY_COLUMNS = ['name', 'level', 'kind', 'files', 'filled', 'empty', 'stand-ins', 'values', 'looks like', 'example'];

/** Distinct values that are remembered of one name: enough to guess its type. */
const MOST_VALUES = 1000;

interface Entry {
  readonly name: string;
  readonly level: string;
  readonly kind: string;
  files: number;
  filled: number;
  standIns: number;
  readonly values: Map<string, { held: HeldValue; files: number; standIn: boolean }>;
  /** Set if there are more values than are kept. */
  more: boolean;
}

export const looksLike = ({ type, unit }: TypeGuess): string => (unit ? `${type}, ${unit}` : type);

/** Counts names over the files of a folder, keeping only the counts. */
export class NameCount {
  private readonly entries = new Map<string, Entry>();

  constructor(private readonly standIns: StandIns) {}

  add({ kind, holders }: FileReading): void {
    const seen = new Map<Entry, { filled: boolean; standIn: boolean }>();
    for (const { level, values } of holders)
      for (const { place, name, held } of values) {
        if (place !== 'property') continue;
        const key = JSON.stringify([name, level, kind]);
        const entry: Entry = this.entries.get(key) ?? {
          name,
          level,
          kind,
          files: 0,
          filled: 0,
          standIns: 0,
          values: new Map<string, { held: HeldValue; files: number; standIn: boolean }>(),
          more: false,
        };
        this.entries.set(key, entry);
        const standIn = held.form === 'text' && this.standIns.matches(held.text);
        const state = seen.get(entry) ?? { filled: false, standIn: false };
        seen.set(entry, { filled: state.filled || (held.text !== '' && !standIn), standIn: state.standIn || standIn });
        if (held.text === '') continue;
        const value = JSON.stringify([held.text, held.unit ?? null]);
        const known = entry.values.get(value);
        if (known) known.files++;
        else if (entry.values.size < MOST_VALUES) entry.values.set(value, { held, files: 1, standIn });
        else entry.more = true;
      }
    for (const [entry, { filled, standIn }] of seen) {
      entry.files++;
      if (filled) entry.filled++;
      else if (standIn) entry.standIns++;
    }
  }

  rows(): Row[] {
    return [...this.entries.values()]
      .sort((a, b) => a.name.localeCompare(b.name) || a.level.localeCompare(b.level) || a.kind.localeCompare(b.kind))
      .map(({ name, level, kind, files, filled, standIns, values, more }) => {
        const counts = [...values.values()].map(({ held, files: n, standIn }): ValueCount => ({
          text: held.text,
          form: held.form,
          unit: held.unit ?? null,
          files: n,
          standIn,
        }));
        const example = counts.filter((value) => !value.standIn).sort((a, b) => b.files - a.files)[0];
        return {
          name,
          level,
          kind,
          files,
          filled,
          empty: files - filled - standIns,
          'stand-ins': standIns,
          values: more ? `more than ${MOST_VALUES}` : values.size,
          'looks like': looksLike(guessType(counts)),
          example: example ? (example.unit ? `${example.text} ${example.unit}` : example.text) : null,
        };
      });
  }
}
