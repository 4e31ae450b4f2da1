import { EntryStanding, FileRow } from '@rule/contract';
import { showInstant } from './show';

/** Who checked a file out and since when; `null` for nobody. */
export const outWords = ({ checkedOutBy, checkedOutAt }: EntryStanding): string | null =>
  checkedOutBy === null ? null : `checked out by ${checkedOutBy}${checkedOutAt ? ` since ${showInstant(checkedOutAt)}` : ''}`;

/** Why a file is locked, by whom and since when, as words after "the file"; `null` if it is not. */
export const lockWords = ({ lock, lockBy, lockSince }: Pick<FileRow, 'lock' | 'lockBy' | 'lockSince'>): string | null =>
  lock === null ? null : `${lock}${lockBy ? ` (${lockBy})` : ''}${lockSince ? ` since ${showInstant(lockSince)}` : ''}`;

/** A file's standing in the vault, in words. */
export function standingWords(entry: EntryStanding): string {
  const version = `Version ${entry.version}${entry.versionBy ? ` by ${entry.versionBy}` : ''}${entry.versionAt ? `, ${showInstant(entry.versionAt)}` : ''}`;
  const state = `${entry.state}${entry.stateAt ? ` since ${showInstant(entry.stateAt)}` : ''}${entry.stateBy && entry.stateBy !== 'vault' ? ` (${entry.stateBy})` : ''}`;
  return [version, state, outWords(entry)].filter((part) => part !== null).join(' · ');
}
