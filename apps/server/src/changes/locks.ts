/** Who knows which files may not be written now. */
export interface Locks {
  /** Learns it again. Where nobody answers, what was last known goes on to count. */
  refresh(): Promise<void>;
}
