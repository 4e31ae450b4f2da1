import { request as http } from 'node:http';
import { request as https } from 'node:https';
import { Readable, pipeline } from 'node:stream';
import Joi, { Schema } from 'joi';
import { VaultTableRow } from '@rule/core/vault';
import { AppError } from '../platform/problem';

/** A file as the vault knows it. */
export interface VaultEntry {
  readonly id: number;
  readonly path: string;
  readonly version: number;
  /** SHA-256 of the newest version's bytes, in hexadecimal. */
  readonly hash: string;
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
  /** @returns the entry as it is once nobody else can check in */
  checkOut(id: number): Promise<VaultEntry>;
  undoCheckOut(id: number): Promise<void>;
  checkIn(id: number, bytes: Uint8Array, comment: string, record: Readonly<Record<string, string | null>>): Promise<VaultEntry>;
}

/** The vault did not answer, or not as it should. */
export const vaultProblem = (message: string): AppError => new AppError(502, 'vault-unreachable', message);

/** Name under which Rule checks files out. */
export const RULE_USER = 'Rule';

/** How many rows a full answer has, said beside it: an answer that lacks some is not believed. */
const COUNT = 'x-total-count';

const entryCheck = Joi.object({
  id: Joi.number().integer().min(1).required(),
  path: Joi.string().min(1).max(4096).required(),
  version: Joi.number().integer().min(1).required(),
  hash: Joi.string().hex().length(64).required(),
  state: Joi.valid('open', 'in check', 'released').required(),
  checkedOutBy: Joi.string().allow(null).required(),
  record: Joi.object().pattern(Joi.string(), Joi.string().allow('')).required(),
})
  .unknown(true)
  .required();
const entriesCheck = Joi.array().items(entryCheck).unique('path').unique('id').required();
const fieldsCheck = Joi.array().items(Joi.string().required()).unique().required();
const tableCheck = Joi.array()
  .items(Joi.object({ field: Joi.string().required(), kind: Joi.string().required(), name: Joi.string().allow('').required() }).unknown(true))
  .required();

/** Bytes that go out in one piece. */
const PIECE = 64 * 1024;

/** Bytes that a system keeps of what it was given to send, and bytes in a second that a line carries at least. */
const MOST_ON_ITS_WAY = 4 * 1024 * 1024;
const SLOWEST = 32 * 1024;

/** What the vault answered: its status, the rows that it says there are, and what it sent. */
interface Answer {
  readonly status: number;
  readonly count: number | null;
  readonly body: unknown;
}

/** The stand-in vault over HTTP. Nothing that it says is taken without being looked at. */
export class HttpVault implements VaultPort {
  /** @param silenceMs longest time in which nothing goes out and nothing comes in; how long a transfer takes as a whole does not matter */
  constructor(
    private readonly base: string,
    private readonly token: string,
    private readonly silenceMs = 5_000,
  ) {}

  private async call(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<Answer> {
    const isBytes = body instanceof Uint8Array;
    const bytes = body === undefined ? null : isBytes ? body : Buffer.from(JSON.stringify(body));
    const { status, text, count } = await this.send(method, new URL(`${this.base}${path}`), bytes, {
      authorization: `Bearer ${this.token}`,
      ...(bytes ? { 'content-type': isBytes ? 'application/octet-stream' : 'application/json', 'content-length': String(bytes.length) } : {}),
      ...headers,
    });
    let answer: unknown;
    try {
      answer = text === '' ? null : JSON.parse(text);
    } catch {
      throw vaultProblem("The vault's answer cannot be read.");
    }
    if (status >= 200 && status < 300) return { status, count, body: answer };
    const detail = (answer as { message?: string } | null)?.message ?? `status ${status}`;
    throw status === 409 ? new AppError(409, 'vault-refused', `The vault refused: ${detail}`) : vaultProblem(`The vault failed: ${detail}`);
  }

  private send(
    method: string,
    url: URL,
    bytes: Uint8Array | null,
    headers: Record<string, string>,
  ): Promise<{ status: number; text: string; count: number | null }> {
    return new Promise((done, fail) => {
      const request = (url.protocol === 'https:' ? https : http)(url, { method, headers, timeout: this.silenceMs });
      const broke = (message: string) => fail(vaultProblem(message));
      request.on('timeout', () => request.destroy(new Error('silent')));
      request.on('error', (error) =>
        broke(error.message === 'silent' ? `The vault did not answer within ${this.silenceMs / 1000} s.` : 'The vault cannot be reached.'),
      );
      request.on('response', (response) => {
        const pieces: Buffer[] = [];
        response.on('data', (piece: Buffer) => pieces.push(piece));
        response.on('error', () => broke("The vault's answer broke off."));
        response.on('close', () => response.complete || broke("The vault's answer broke off."));
        response.on('end', () => {
          const count = response.headers[COUNT];
          done({ status: response.statusCode ?? 0, text: Buffer.concat(pieces).toString('utf8'), count: count === undefined ? null : Number(count) });
        });
      });
      if (bytes) {
        // What was handed over last may still be on its way through a slow line: that is no silence of the vault.
        const onItsWay = (Math.min(bytes.length, MOST_ON_ITS_WAY) / SLOWEST) * 1000;
        pipeline(Readable.from(piecesOf(bytes)), request, () => void request.setTimeout(this.silenceMs + onItsWay));
      } else request.end();
    });
  }

  /** An answer as it should be. @throws AppError where it is not */
  private checked<T>(answer: Answer, check: Schema): T {
    const { error } = check.validate(answer.body, { convert: false });
    if (error) throw vaultProblem(`The vault's answer is not valid: ${error.details[0]!.message}.`);
    const rows = answer.body as readonly unknown[];
    if (answer.count !== null && Array.isArray(rows) && rows.length !== answer.count)
      throw vaultProblem(`The vault sent ${rows.length} of ${answer.count} rows.`);
    return answer.body as T;
  }

  async entries(paths?: readonly string[]): Promise<VaultEntry[]> {
    const answer = await this.call('POST', '/api/files/query', { paths: paths ?? null });
    if (answer.count === null) throw vaultProblem('The vault does not state the number of files, so its list may be incomplete.');
    return this.checked(answer, entriesCheck);
  }
  async fields(): Promise<string[]> {
    return this.checked(await this.call('GET', '/api/fields'), fieldsCheck);
  }
  async table(): Promise<VaultTableRow[]> {
    return this.checked(await this.call('GET', '/api/link-table'), tableCheck);
  }
  async checkOut(id: number): Promise<VaultEntry> {
    return this.checked(await this.call('POST', `/api/files/${id}/check-out`, { by: RULE_USER }), entryCheck);
  }
  async undoCheckOut(id: number): Promise<void> {
    this.checked(await this.call('POST', `/api/files/${id}/undo-check-out`, { by: RULE_USER }), entryCheck);
  }
  async checkIn(id: number, bytes: Uint8Array, comment: string, record: Readonly<Record<string, string | null>>): Promise<VaultEntry> {
    const meta = Buffer.from(JSON.stringify({ by: RULE_USER, comment, record })).toString('base64url');
    return this.checked(await this.call('POST', `/api/files/${id}/check-in`, bytes, { 'x-check-in': meta }), entryCheck);
  }
}

function* piecesOf(bytes: Uint8Array): Generator<Uint8Array> {
  for (let from = 0; from < bytes.length; from += PIECE) yield bytes.subarray(from, from + PIECE);
}
