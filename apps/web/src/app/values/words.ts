import { FindingKind } from '@rule/contract';

/** Findings in words. */
export const FINDING_TEXTS: Readonly<Record<FindingKind, string>> = { missing: 'Required and missing', stale: 'Stale', wrong: 'Breaks the schema' };

/** A kind of files in the plural. */
export const plural = (kind: string): string => ({ part: 'Parts', assembly: 'Assemblies', drawing: 'Drawings', other: 'Other files' })[kind] ?? kind;
