/** All advisory locks of the database, so that no number is used twice. Each is exclusive across all servers. */
export const LOCKS = {
  /** Writing library files. */
  files: 7301,
  /** Class of session locks that mark live servers; the second key is the runner's number. */
  alive: 7302,
  /** Starting, changing or publishing the draft. */
  draft: 7303,
  /** Counting values of names. */
  nameFacts: 7304,
  /** Counting files by name. */
  nameCounts: 7305,
  /** Judging files: one batch at a time. */
  judging: 7306,
  /** Class of locks on running deliveries; the second key is the delivery's number. */
  delivery: 7307,
  /** Class of locks on watched folders being processed; the second key is the folder's number. */
  watched: 7311,
  /** Scanning libraries. Separate from the write lock: scans take long and nobody waits for them. */
  survey: 7308,
  /** Storing readings: shared by readers, exclusive for those who have written. */
  readings: 7309,
  /** Migrating the database. */
  migrations: 7310,
  /** Creating job queues, which alters tables used by other servers. */
  queues: 7312,
  /** Class of locks on lists with numbered rows; the second key derives from the list's name. */
  bomNumbers: 7313,
} as const;

/** Takes the lock of a running server, by class and runner, for the lifetime of its connection. */
export const HOLD_ALIVE = 'SELECT pg_advisory_lock($1, $2)';

/** Tries a lock by class and number until the transaction ends. */
export const TRY_LOCK = 'SELECT pg_try_advisory_xact_lock($1, $2) AS got';

/** Takes a lock until the transaction ends. */
export const TAKE_LOCK = 'SELECT pg_advisory_xact_lock($1)';

/** Takes a shared lock until the transaction ends. */
export const SHARE_LOCK = 'SELECT pg_advisory_xact_lock_shared($1)';

/** Tries a lock. */
export const TRY_LOCK_ALONE = 'SELECT pg_try_advisory_xact_lock($1) AS got';

/** Takes a lock by class and name until the transaction ends. Colliding names only cost a wait. */
export const TAKE_LOCK_OF = 'SELECT pg_advisory_xact_lock($1, hashtext($2))';
