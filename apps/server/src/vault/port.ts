import { VaultTableRow } from '@rule/core/vault';
import { AppError } from '../platform/problem';

/** A file as the vault knows it. */
export interface VaultEntry {
  readonly id: number;
  readonly path: string;
  readonly version: number;
  readonly state: 'open' | 'in check' | 'released';
  readonly checkedOutBy: string | null;
  readonly record: Readonly<Record<string, string>>;
}

/** What Rule needs of a document vault. Another vault can be put behind it. */
export interface VaultPort {
  /** All files, or those at the given paths. */
  entries(paths?: readonly string[]): Promise<VaultEntry[]>;
  fields(): Promise<string[]>;
  /** The vault's own link table: which name it looks for in which kind of file. */
  table(): Promise<VaultTableRow[]>;
  checkOut(id: number): Promise<void>;
  undoCheckOut(id: number): Promise<void>;
  checkIn(id: number, bytes: Uint8Array, comment: string, record: Readonly<Record<string, string | null>>): Promise<VaultEntry>;
}

/** The vault did not answer, or not as it should. */
export const vaultProblem = (message: string): AppError => new AppError(502, 'vault-unreachable', message);

/** Name under which Rule checks files out. */
export const RULE_USER = 'Rule';

/** The stand-in vault over HTTP. */
export class HttpVault implements VaultPort {
  constructor(
    private readonly base: string,
    private readonly token: string,
    private readonly timeoutMs = 5_000,
  ) {}

  private async call<T>(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<T> {
    const isBytes = body instanceof Uint8Array;
    let response: Response;
    try {
      response = await fetch(`${this.base}${path}`, {
        method,
        headers: {
          authorization: `Bearer ${this.token}`,
          ...(body === undefined ? {} : { 'content-type': isBytes ? 'application/octet-stream' : 'application/json' }),
          ...headers,
        },
        ...(body === undefined ? {} : { body: isBytes ? body : JSON.stringify(body) }),
        signal: AbortSignal.timeout(this.timeoutMs),
      });
    } catch (error) {
      const slow = (error as { name?: string }).name === 'TimeoutError';
      throw vaultProblem(slow ? `The vault did not answer within ${this.timeoutMs / 1000} s.` : 'The vault cannot be reached.');
    }
    const text = await response.text().catch(() => {
      throw vaultProblem('The vault broke off in the middle of its answer.');
    });
    let answer: unknown;
    try {
      answer = text === '' ? null : JSON.parse(text);
    } catch {
      throw vaultProblem('The vault gave an answer that cannot be read.');
    }
    if (response.ok) return answer as T;
    const detail = (answer as { message?: string } | null)?.message ?? `status ${response.status}`;
    throw response.status === 409 ? new AppError(409, 'vault-refused', `The vault refused: ${detail}`) : vaultProblem(`The vault failed: ${detail}`);
  }

  entries(paths?: readonly string[]): Promise<VaultEntry[]> {
    return this.call('POST', '/api/files/query', { paths: paths ?? null });
  }
  fields(): Promise<string[]> {
    return this.call('GET', '/api/fields');
  }
  table(): Promise<VaultTableRow[]> {
    return this.call('GET', '/api/link-table');
  }
  async checkOut(id: number): Promise<void> {
    await this.call('POST', `/api/files/${id}/check-out`, { by: RULE_USER });
  }
  async undoCheckOut(id: number): Promise<void> {
    await this.call('POST', `/api/files/${id}/undo-check-out`, { by: RULE_USER });
  }
  checkIn(id: number, bytes: Uint8Array, comment: string, record: Readonly<Record<string, string | null>>): Promise<VaultEntry> {
    const meta = Buffer.from(JSON.stringify({ by: RULE_USER, comment, record })).toString('base64url');
    return this.call('POST', `/api/files/${id}/check-in`, bytes, { 'x-check-in': meta });
  }
}
