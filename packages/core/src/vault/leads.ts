import { Link, Passing } from '../schema';
import { Decision, decide } from './link';

/** Who leads for a linked value. */
export const LEADS = ['both', 'the file', 'the record', 'a workflow step', 'neither'] as const;
export type Lead = (typeof LEADS)[number];

/** Settings behind a lead. */
const MEANS: Readonly<Record<Lead, Passing>> = {
  both: { in: 'always', out: 'always', onClash: 'ask' },
  'the file': { in: 'always', out: 'never', onClash: "take the file's" },
  'the record': { in: 'never', out: 'always', onClash: "take the record's" },
  'a workflow step': { in: 'never', out: 'always', onClash: "take the record's" },
  neither: { in: 'never', out: 'never', onClash: 'ask' },
};

/** The settings of a lead. */
export const passingOf = (lead: Lead): Passing => MEANS[lead];

/** The lead for settings; `null` if none matches. */
export const leadOf = (link: Passing & Partial<Pick<Link, 'step'>>): Lead | null =>
  LEADS.find((lead) => {
    if ((lead === 'a workflow step') !== (typeof link.step === 'string')) return false;
    const means = MEANS[lead];
    // If nothing passes, nothing clashes.
    return means.in === link.in && means.out === link.out && (lead === 'neither' || means.onClash === link.onClash);
  }) ?? null;

/** A situation of file and record, and the next check-in's action. */
export interface Proof {
  readonly situation: string;
  readonly file: string | null;
  readonly record: string | null;
  readonly agreed: string | null | undefined;
  readonly decision: Decision;
}

const SITUATIONS: readonly Omit<Proof, 'decision'>[] = [
  { situation: 'nothing changed', file: 'A', record: 'A', agreed: 'A' },
  { situation: 'the file changed', file: 'B', record: 'A', agreed: 'A' },
  { situation: 'the record changed', file: 'A', record: 'B', agreed: 'A' },
  { situation: 'both changed', file: 'B', record: 'C', agreed: 'A' },
  { situation: 'never agreed, both filled', file: 'A', record: 'B', agreed: undefined },
  { situation: 'never agreed, record blank', file: 'A', record: null, agreed: undefined },
  { situation: 'never agreed, file blank', file: null, record: 'B', agreed: undefined },
  { situation: 'the file was emptied', file: null, record: 'A', agreed: 'A' },
  { situation: 'the record was emptied', file: 'A', record: null, agreed: 'A' },
];

/** A link's action in each situation, from the function used at check-in, so a link can be understood before it is tried. */
export const proofTable = (link: Passing): Proof[] => SITUATIONS.map((entry) => ({ ...entry, decision: decide(link, entry.file, entry.record, entry.agreed) }));
