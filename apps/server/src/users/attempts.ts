import { Db } from '../platform/db';

/** Free attempts, and the maximum delay after more, in seconds. */
interface Patience {
  readonly key: string;
  readonly free: number;
  readonly longest: number;
}

/** Failed attempts expire after this many seconds. */
const FORGOTTEN = 3600;

/**
 * Counters of attempts. A name from one address is delayed soon and long; an address (which may be a company) or a name from anywhere gets
 * more attempts and short delays, so nobody can lock others out.
 */
const patienceWith = (name: string, address: string): Patience[] => [
  { key: `name and address\n${name}\n${address}`, free: 4, longest: 300 },
  { key: `address\n${address}`, free: 100, longest: 30 },
  { key: `name\n${name}`, free: 40, longest: 10 },
];

/** Slows down password guessing with growing delays. */
export class SignInAttempts {
  constructor(
    private readonly db: Db,
    private readonly clock: () => Date,
  ) {}

  /**
   * Counts an attempt before the password is checked, so parallel attempts all count.
   * @returns seconds to wait; 0 to proceed
   */
  async begin(name: string, address: string): Promise<number> {
    const now = this.clock();
    const patience = patienceWith(name.toLowerCase(), address);
    const waits = await this.db.all<{ seconds: number }>(
      `SELECT ceil(extract(epoch FROM max(wait_until) - $2::timestamptz))::int AS seconds
        FROM sign_in_attempts WHERE key = ANY($1::text[]) AND wait_until > $2 HAVING count(*) > 0`,
      [patience.map(({ key }) => key), now],
    );
    if (waits.length) return Math.max(1, waits[0]!.seconds);
    await this.db.run(
      `INSERT INTO sign_in_attempts AS a (key, failed, at, wait_until) SELECT key, 1, $2, $2 FROM jsonb_to_recordset($1::jsonb) AS n(key text) ORDER BY key
       ON CONFLICT (key) DO UPDATE SET failed = CASE WHEN a.at < $2::timestamptz - make_interval(secs => $3) THEN 1 ELSE a.failed + 1 END, at = $2`,
      [JSON.stringify(patience), now, FORGOTTEN],
    );
    await this.db.run(
      `UPDATE sign_in_attempts a SET wait_until = $2::timestamptz + make_interval(secs => least(n.longest, power(2, least(20, a.failed - n.free))))
       FROM jsonb_to_recordset($1::jsonb) AS n(key text, free int, longest int) WHERE a.key = n.key AND a.failed > n.free`,
      [JSON.stringify(patience), now],
    );
    return 0;
  }

  /** After success, resets the name's counter and reduces the address's. */
  async succeeded(name: string, address: string): Promise<void> {
    const [both, place, person] = patienceWith(name.toLowerCase(), address).map(({ key }) => key);
    await this.db.run('DELETE FROM sign_in_attempts WHERE key = $1 OR key = $2 OR at < $3::timestamptz - make_interval(secs => $4)', [
      both,
      person,
      this.clock(),
      FORGOTTEN,
    ]);
    await this.db.run('UPDATE sign_in_attempts SET failed = failed - 1, wait_until = at WHERE key = $1', [place]);
  }
}
