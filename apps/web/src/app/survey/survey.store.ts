import { computed, inject } from '@angular/core';
import { FileFilter, FoundName, OtherName, Survey, TwinRow } from '@rule/contract';
import { Property, compareNames } from '@rule/core/schema';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { EMPTY } from 'rxjs';
import { Api, catalogueFeature, loads, problemOf } from '../shared';

/** A name across kinds and levels, with its property. */
export interface NameRow {
  readonly name: string;
  readonly kinds: readonly string[];
  readonly levels: readonly string[];
  readonly files: number;
  readonly filled: number;
  readonly empty: number;
  readonly standIns: number;
  readonly distinct: number;
  readonly examples: readonly string[];
  readonly guess: FoundName['guess'];
  readonly status: 'known' | 'retired' | 'alike' | 'stray';
  readonly property: Property | null;
  readonly parts: readonly FoundName[];
}

/** Groups rows by name, keeping parts by kind and level. */
export function rowsOf(found: readonly FoundName[], properties: readonly Property[]): NameRow[] {
  const byName = new Map<string, FoundName[]>();
  for (const row of found) byName.set(row.name, [...(byName.get(row.name) ?? []), row]);
  return [...byName].map(([name, parts]) => {
    const exact = properties.find((property) => property.writtenName === name);
    const near = exact ?? properties.find((property) => compareNames(property.writtenName, name) !== 'different') ?? null;
    const sum = (key: 'files' | 'filled' | 'standIns') => parts.reduce((total, part) => total + part[key], 0);
    const main = [...parts].sort((a, b) => b.files - a.files)[0]!;
    return {
      name,
      kinds: [...new Set(parts.map((part) => part.kind))],
      levels: [...new Set(parts.map((part) => part.level))],
      files: sum('files'),
      filled: sum('filled'),
      standIns: sum('standIns'),
      empty: sum('files') - sum('filled') - sum('standIns'),
      distinct: Math.max(...parts.map((part) => part.distinct)),
      examples: main.examples,
      guess: main.guess,
      status: exact ? (exact.retired ? 'retired' : 'known') : near ? 'alike' : 'stray',
      property: near,
      parts,
    };
  });
}

interface State {
  readonly survey: Survey | null;
  readonly twins: readonly TwinRow[] | null;
  readonly others: readonly OtherName[] | null;
  readonly loading: boolean;
  readonly error: string | null;
}

/** State of the Survey station. */
export const SurveyStore = signalStore(
  withState<State>({ survey: null, twins: null, others: null, loading: false, error: null }),
  withComputed(({ survey }, properties = inject(Store).selectSignal(catalogueFeature.selectAll)) => {
    const rows = computed(() => rowsOf(survey()?.names ?? [], properties()));
    return { rows, strays: computed(() => rows().filter((row) => row.status === 'stray' || row.status === 'alike')) };
  }),
  withMethods((store, api = inject(Api)) => {
    const load = loads<State>(store, (failure) => {
      patchState(store, { loading: false, error: problemOf(failure).detail });
      return EMPTY;
    });
    const survey = load<FileFilter, Survey>(
      (filter) => api.survey(filter),
      (found) => ({ survey: found, loading: false }),
    );
    return {
      load(filter: FileFilter): void {
        patchState(store, { loading: true, error: null });
        survey(filter);
      },
      /** Similar names, requested once names are loaded. */
      loadTwins: load<void, TwinRow[]>(
        () => api.twins(),
        (twins) => ({ twins }),
      ),
      loadOthers: load<void, OtherName[]>(
        () => api.otherNames(),
        (others) => ({ others }),
      ),
    };
  }),
);
