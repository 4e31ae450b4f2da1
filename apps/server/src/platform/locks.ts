/**
 * The advisory locks of the database, all in one place, so that no number serves two purposes. Each is held by one
 * transaction at a time, across all servers of the database.
 */
export const LOCKS = {
  /** Files of libraries are written. */
  files: 7301,
  /** Class of the session locks that tell which servers are alive; the second key is the runner's number. */
  alive: 7302,
  /** The schema's draft is begun, changed or brought into force. */
  draft: 7303,
  /** Values of names are counted. */
  nameFacts: 7304,
  /** Files that hold names are counted. */
  nameCounts: 7305,
  /** Files are judged and what was found is kept: one batch at a time. */
  judging: 7306,
  /** Class of the locks on deliveries that are under way; the second key is the delivery's number. */
  delivery: 7307,
  /** Class of the locks on watched folders that are looked into; the second key is the folder's number. */
  watched: 7311,
  /** Libraries are read again. Not the lock of those who write: a survey takes long, and nobody waits for it. */
  survey: 7308,
  /** What was read of files is stored: short, shared by those who read, alone for those who have written. */
  readings: 7309,
  /** The database is brought to a newer layout. */
  migrations: 7310,
  /** Queues of jobs are made, which changes tables that other servers work in. */
  queues: 7312,
  /** Class of the locks on lists whose rows are numbered; the second key is made of the list's name. */
  bomNumbers: 7313,
} as const;

/** Takes the lock of a running server, by class and runner, for as long as its connection lives. */
export const HOLD_ALIVE = 'SELECT pg_advisory_lock($1, $2)';

/** Takes a lock by class and number until the transaction ends, where nobody else has it. */
export const TRY_LOCK = 'SELECT pg_try_advisory_xact_lock($1, $2) AS got';

/** Takes one of the locks until the transaction ends. */
export const TAKE_LOCK = 'SELECT pg_advisory_xact_lock($1)';

/** Takes one of the locks until the transaction ends, together with others who take it like this. */
export const SHARE_LOCK = 'SELECT pg_advisory_xact_lock_shared($1)';

/** Takes one of them where nobody else has it. */
export const TRY_LOCK_ALONE = 'SELECT pg_try_advisory_xact_lock($1) AS got';

/** Takes a lock by class and the name of something until the transaction ends. Two names may share a lock; that costs a wait and nothing else. */
export const TAKE_LOCK_OF = 'SELECT pg_advisory_xact_lock($1, hashtext($2))';
