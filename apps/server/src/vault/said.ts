import { VaultDefinition } from '@rule/core/vault';
import { Db } from '../platform/db';
import { AppError } from '../platform/problem';
import { VaultEntry, VaultPort } from './port';

/** The definition before the first fetch. */
export const UNKNOWN: VaultDefinition = { fields: [], systemFields: [], states: [], steps: [], mayDefine: false };

/** Columns of an entry's standing. */
export const STANDING = `r.version, r.version_by AS "versionBy", r.version_at AS "versionAt", r.state, r.state_by AS "stateBy", r.state_at AS "stateAt",
  r.checked_out_by AS "checkedOutBy", r.checked_out_at AS "checkedOutAt"`;

/** The record definition as last fetched. */
export async function definitionOf(db: Db): Promise<VaultDefinition> {
  return (await db.one<{ definition: VaultDefinition }>('SELECT definition FROM vault_said'))?.definition ?? UNKNOWN;
}

/**
 * The vault path of a file.
 * @throws AppError if it is not in the vault's library
 */
export async function pathOf(db: Db, id: number): Promise<string> {
  const row = await db.one<{ path: string; inVault: boolean; library: string }>(
    'SELECT f.path, l.in_vault AS "inVault", l.name AS library FROM files f JOIN libraries l ON l.id = f.library_id WHERE f.id = $1',
    [id],
  );
  if (row && !row.inVault)
    throw new AppError(404, 'not-in-vault', `${row.path} is in the library ${row.library}, which is not marked as the vault's working copy.`);
  return row!.path;
}

/**
 * The vault's entry at a path, as it is now.
 * @throws AppError if there is none
 */
export async function entryAt(port: VaultPort, path: string): Promise<VaultEntry> {
  const [entry] = await port.entries([path]);
  if (!entry) throw new AppError(404, 'not-in-vault', `${path} is not in the vault.`);
  return entry;
}

/** Ignores vault failures; retried at the next refresh. */
export function passOver(error: unknown): void {
  if (!(error instanceof AppError)) throw error;
}
