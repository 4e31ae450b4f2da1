import { Binding, CellForm, PLAIN_CELL, Property, bindingOf, familyOf, likenessKey, sameDefinition } from '../schema';
import { HeldValue, StandIns } from '../values';
import { cellText } from './binding';

/** Candidate sources for learning. */
export type LearnedSource = 'drawing' | 'model';

/** A title block cell of a drawing with candidate values. */
export interface CellObservation {
  readonly drawing: number;
  readonly holder: string;
  readonly block: string;
  readonly tag: string;
  readonly text: string;
  /** Values of the drawing and its model, by property id; `null` if the model is unknown. */
  readonly values: Readonly<Record<LearnedSource, Readonly<Record<number, HeldValue>> | null>>;
}

/** Why a cell contradicts its proposed binding. */
export type ExceptionReason = 'blank' | 'retyped' | 'stale';

/** A learned binding with evidence. */
export interface LearnedBinding {
  readonly block: string;
  readonly tag: string;
  readonly propertyId: number;
  readonly source: LearnedSource;
  readonly form: CellForm;
  /** Matching drawings, of those where cell and source are filled. */
  readonly agree: number;
  readonly compared: number;
  /** Distinct matching texts: a single one proves little. */
  readonly texts: number;
}

const FORMS: readonly CellForm[] = [PLAIN_CELL, { letters: 'as they are', unit: true }, { letters: 'capitals', unit: false }];
const SOURCES: readonly LearnedSource[] = ['drawing', 'model'];
/** Minimum number and share of drawings supporting a binding. */
const LEAST = 2;
const LEAST_SHARE = 0.6;
/** Texts remembered per candidate; more add no certainty. */
const MOST_TEXTS = 50;

interface Candidate {
  readonly propertyId: number;
  readonly source: LearnedSource;
  readonly form: CellForm;
  agree: number;
  compared: number;
  readonly texts: Set<string>;
}

/** Learns which property each cell shows. Keeps counts only, for any number of drawings. */
export class CellLearner {
  private readonly cells = new Map<string, { block: string; tag: string; candidates: Map<string, Candidate> }>();

  constructor(
    private readonly properties: readonly Property[],
    private readonly standIns: StandIns,
  ) {}

  observe(observation: CellObservation): void {
    const { block, tag, text, values } = observation;
    const key = JSON.stringify([block, tag]);
    const cell = this.cells.get(key) ?? { block, tag, candidates: new Map<string, Candidate>() };
    this.cells.set(key, cell);
    if (text.trim() === '' || this.standIns.matches(text)) return;
    for (const source of SOURCES) {
      const held = values[source];
      if (!held) continue;
      for (const property of this.properties)
        for (const [place, form] of FORMS.entries()) {
          const shown = cellText(held[property.id] ?? null, property, form, this.standIns);
          if (shown.state !== 'value') continue;
          const id = `${property.id} ${source} ${place}`;
          const candidate = cell.candidates.get(id) ?? { propertyId: property.id, source, form, agree: 0, compared: 0, texts: new Set<string>() };
          cell.candidates.set(id, candidate);
          candidate.compared++;
          if (shown.text !== text) continue;
          candidate.agree++;
          if (candidate.texts.size < MOST_TEXTS) candidate.texts.add(text);
        }
    }
  }

  /** The best sufficiently supported binding of each cell. On ties the current one stays. */
  learned(inForce: readonly Binding[] = []): LearnedBinding[] {
    return [...this.cells.values()].flatMap(({ block, tag, candidates }) => {
      const shows = bindingOf(inForce, familyOf(block), tag)?.shows;
      const isBound = (c: Candidate) => Number(sameDefinition(shows, [{ property: c.propertyId, from: c.source, form: c.form }]));
      const best = [...candidates.values()]
        .filter(({ agree, compared }) => agree >= LEAST && agree >= LEAST_SHARE * compared)
        // More agreement first, then more different texts, then the plainer form, then the drawing itself.
        .sort(
          (a, b) =>
            b.agree - a.agree ||
            isBound(b) - isBound(a) ||
            b.texts.size - a.texts.size ||
            FORMS.indexOf(a.form) - FORMS.indexOf(b.form) ||
            SOURCES.indexOf(a.source) - SOURCES.indexOf(b.source),
        )[0];
      if (!best) return [];
      const { propertyId, source, form, agree, compared, texts } = best;
      return [{ block, tag, propertyId, source, form, agree, compared, texts: texts.size }];
    });
  }

  /**
   * Why a cell contradicts a binding, with the expected text; `null` if it agrees or nothing is comparable. *Blank*: empty cell. *Retyped*:
   * same value in other wording, or text without a source. *Stale*: another value.
   */
  exception(
    binding: Pick<LearnedBinding, 'propertyId' | 'source' | 'form'>,
    { text, values }: CellObservation,
  ): { readonly reason: ExceptionReason; readonly wanted: string } | null {
    const held = values[binding.source];
    const property = this.properties.find((candidate) => candidate.id === binding.propertyId);
    if (!held || !property) return null;
    const shown = cellText(held[property.id] ?? null, property, binding.form, this.standIns);
    const wanted = shown.state === 'value' ? shown.text : '';
    if (text === wanted) return null;
    if (text.trim() === '' || this.standIns.matches(text)) return wanted === '' ? null : { reason: 'blank', wanted };
    if (wanted === '') return { reason: 'retyped', wanted };
    const squeeze = (value: string) => likenessKey(value).replace(/[^\p{L}\p{N}]/gu, '');
    return { reason: squeeze(text) === squeeze(wanted) ? 'retyped' : 'stale', wanted };
  }
}
