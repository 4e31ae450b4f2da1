/** Knows which files must not be written now. */
export interface Locks {
  /** Refreshes the locks. If the vault does not answer, the last known state stays in force. */
  refresh(): Promise<void>;
}
