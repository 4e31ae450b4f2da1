import { Kind, WideLevel } from '@rule/core/schema';

/** Everything that decides whether a user may write to a file or a wide holder. */
export interface FileState<K = Kind> {
  readonly id: number;
  readonly path: string;
  readonly kind: K;
  readonly className: string | null;
  /** Workflow state; `null` outside the vault. */
  readonly state: string | null;
  /** Why it cannot be written now. */
  readonly lock: string | null;
}

/** The same for files, companies, projects and drawing sets. */
export type TargetState = FileState<Kind | WideLevel>;

/** Columns of a {@link FileState}, from `files f` (or `targets f`) with its class `c`: see {@link STATE_FROM}. */
export const FILE_STATE = 'f.id, f.path, f.kind, c.name AS "className", f.workflow_state AS state, f.lock_reason AS lock';
export const STATE_FROM = 'files f LEFT JOIN classes c ON c.id = f.class_id';
export const TARGET_STATE_FROM = 'targets f LEFT JOIN classes c ON c.id = f.class_id';
