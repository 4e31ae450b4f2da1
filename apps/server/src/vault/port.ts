import { request as http } from 'node:http';
import { request as https } from 'node:https';
import { Readable, pipeline } from 'node:stream';
import Joi, { Schema } from 'joi';
import { KINDS, Kind } from '@rule/core/schema';
import { FIELD_TYPES, VaultDefinition, VaultField, VaultTableRow } from '@rule/core/vault';
import { AppError } from '../platform/problem';

/** A file in the vault. */
export interface VaultEntry {
  readonly id: number;
  readonly path: string;
  readonly kind: Kind;
  /** The vault's class; `null` for none. */
  readonly class: string | null;
  readonly version: number;
  /** SHA-256 of the newest version, in hex. */
  readonly hash: string;
  readonly versionBy: string;
  readonly versionAt: string;
  readonly state: (typeof STATES)[number];
  readonly stateBy: string;
  readonly stateAt: string;
  readonly checkedOutBy: string | null;
  readonly checkedOutAt: string | null;
  /** Values by field name, including system fields. */
  readonly record: Readonly<Record<string, string>>;
}

/** A version of a file. */
export interface VaultVersion {
  readonly version: number;
  /** SHA-256 of its bytes, in hex. */
  readonly hash: string;
}

/** Changes of a record: a value, or `null` to clear. */
export type RecordChanges = Readonly<Record<string, string | null>>;

/** Metadata of an added file. */
export interface Addition {
  readonly path: string;
  readonly kind: Kind;
  readonly class: string | null;
  readonly comment: string;
  readonly record: RecordChanges;
}

/** What Rule needs of a document vault. Other vaults can implement it. */
export interface VaultPort {
  /** All entries, or those at the given paths. */
  entries(paths?: readonly string[]): Promise<VaultEntry[]>;
  /** Record fields and workflow steps. */
  definition(): Promise<VaultDefinition>;
  /**
   * Creates or changes a field.
   * @throws AppError if the vault does not allow it
   */
  saveField(name: string | null, field: VaultField): Promise<void>;
  /** The vault's link table: names by field and kind. */
  table(): Promise<VaultTableRow[]>;
  saveTable(rows: readonly VaultTableRow[]): Promise<void>;
  /** Numbers and hashes of all versions, in order. */
  versions(id: number): Promise<VaultVersion[]>;
  /** Bytes of the newest version. */
  content(id: number): Promise<Uint8Array>;
  /** @returns the entry, now locked for others */
  checkOut(id: number): Promise<VaultEntry>;
  undoCheckOut(id: number): Promise<VaultEntry>;
  checkIn(id: number, bytes: Uint8Array, comment: string, record: RecordChanges): Promise<VaultEntry>;
  /** Changes a record without a new version. */
  writeRecord(id: number, record: RecordChanges): Promise<VaultEntry>;
  add(addition: Addition, bytes: Uint8Array): Promise<VaultEntry>;
}

/** The vault did not answer properly. */
export const vaultProblem = (message: string): AppError => new AppError(502, 'vault-unreachable', message);

/** User name for Rule's check-outs. */
export const RULE_USER = 'Rule';

/** Header with the row count of an answer, to detect incomplete ones. */
const COUNT = 'x-total-count';

/** States known to Rule. */
const STATES = ['open', 'in check', 'released'] as const;

/** The stand-in's kind for other files. */
const OTHER = 'document';
const KINDS_THERE = KINDS.map((kind) => (kind === 'other' ? OTHER : kind));
const kindHere = (kind: string): Kind => (kind === OTHER ? 'other' : (kind as Kind));
const kindThere = (kind: Kind): string => (kind === 'other' ? OTHER : kind);

const instant = Joi.string().isoDate();
const entryCheck = Joi.object({
  id: Joi.number().integer().min(1).required(),
  path: Joi.string().min(1).max(4096).required(),
  kind: Joi.valid(...KINDS_THERE).required(),
  class: Joi.string().allow(null).required(),
  version: Joi.number().integer().min(1).required(),
  hash: Joi.string().hex().length(64).required(),
  versionBy: Joi.string().required(),
  versionAt: instant.required(),
  state: Joi.valid(...STATES).required(),
  stateBy: Joi.string().required(),
  stateAt: instant.required(),
  checkedOutBy: Joi.string().allow(null).required(),
  checkedOutAt: instant.allow(null).required(),
  record: Joi.object().pattern(Joi.string(), Joi.string().allow('')).required(),
}).unknown(true);
const entriesCheck = Joi.array().items(entryCheck).unique('path').unique('id').required();
const versionsCheck = Joi.array()
  .items(Joi.object({ version: Joi.number().integer().min(1).required(), hash: Joi.string().hex().length(64).required() }).unknown(true))
  .unique('version')
  .required();
const fieldCheck = Joi.object({
  name: Joi.string().required(),
  type: Joi.valid(...FIELD_TYPES).required(),
  length: Joi.number().integer().min(1).allow(null).required(),
  choices: Joi.array().items(Joi.string().allow('')).required(),
  initial: Joi.string().allow('', null).required(),
  required: Joi.boolean().required(),
  kinds: Joi.array()
    .items(Joi.valid(...KINDS_THERE))
    .required(),
  classes: Joi.array().items(Joi.string()).required(),
  fixed: Joi.boolean().required(),
  retired: Joi.boolean().required(),
}).unknown(true);
const definitionCheck = Joi.object({
  fields: Joi.array().items(fieldCheck).unique('name').required(),
  systemFields: Joi.array().items(Joi.string()).required(),
  states: Joi.array().items(Joi.string()).required(),
  steps: Joi.array()
    .items(
      Joi.object({ name: Joi.string().required(), from: Joi.string().required(), to: Joi.string().required(), sets: Joi.object().required() }).unknown(true),
    )
    .required(),
  mayDefine: Joi.boolean().required(),
})
  .unknown(true)
  .required();
const tableCheck = Joi.array()
  .items(Joi.object({ field: Joi.string().required(), kind: Joi.string().required(), name: Joi.string().allow('').required() }).unknown(true))
  .required();

/** Bytes sent per chunk. */
const PIECE = 64 * 1024;

/** Typical size of send buffers in bytes, and minimum line speed in bytes per second. */
const MOST_ON_ITS_WAY = 4 * 1024 * 1024;
const SLOWEST = 32 * 1024;

/** An answer: status, announced row count and body. */
interface Answer {
  readonly status: number;
  readonly count: number | null;
  readonly body: unknown;
}

/** Client of the stand-in vault over HTTP. All answers are validated. */
export class HttpVault implements VaultPort {
  /** @param silenceMs time limit without any traffic; the total duration is unlimited */
  constructor(
    private readonly base: string,
    private readonly token: string,
    private readonly silenceMs = 5_000,
  ) {}

  private async call(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<Answer> {
    const isBytes = body instanceof Uint8Array;
    const bytes = body === undefined ? null : isBytes ? body : Buffer.from(JSON.stringify(body));
    const { status, content, count } = await this.send(method, new URL(`${this.base}${path}`), bytes, {
      authorization: `Bearer ${this.token}`,
      ...(bytes ? { 'content-type': isBytes ? 'application/octet-stream' : 'application/json', 'content-length': String(bytes.length) } : {}),
      ...headers,
    });
    return { status, count, body: answerOf(status, content) };
  }

  private async bytes(path: string): Promise<{ readonly body: Uint8Array }> {
    const { status, content } = await this.send('GET', new URL(`${this.base}${path}`), null, { authorization: `Bearer ${this.token}` });
    if (status < 200 || status >= 300) answerOf(status, content);
    return { body: content };
  }

  private send(
    method: string,
    url: URL,
    bytes: Uint8Array | null,
    headers: Record<string, string>,
  ): Promise<{ status: number; content: Buffer; count: number | null }> {
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
          done({ status: response.statusCode ?? 0, content: Buffer.concat(pieces), count: count === undefined ? null : Number(count) });
        });
      });
      if (bytes) {
        // Buffered data may still be on a slow line, which is not silence.
        const onItsWay = (Math.min(bytes.length, MOST_ON_ITS_WAY) / SLOWEST) * 1000;
        pipeline(Readable.from(piecesOf(bytes)), request, () => void request.setTimeout(this.silenceMs + onItsWay));
      } else request.end();
    });
  }

  /**
   * Validates an answer.
   * @throws AppError if invalid
   */
  private checked<T>(answer: Answer, check: Schema): T {
    const { error } = check.validate(answer.body, { convert: false });
    if (error) throw vaultProblem(`The vault's answer is not valid: ${error.details[0]!.message}.`);
    const rows = answer.body as readonly unknown[];
    if (answer.count !== null && Array.isArray(rows) && rows.length !== answer.count)
      throw vaultProblem(`The vault sent ${rows.length} of ${answer.count} rows.`);
    return answer.body as T;
  }

  private entry(answer: Answer): VaultEntry {
    const entry = this.checked<VaultEntry>(answer, entryCheck.required());
    return { ...entry, kind: kindHere(entry.kind) };
  }

  async entries(paths?: readonly string[]): Promise<VaultEntry[]> {
    const answer = await this.call('POST', '/api/files/query', { paths: paths ?? null });
    if (answer.count === null) throw vaultProblem('The vault does not state the number of files, so its list may be incomplete.');
    return this.checked<VaultEntry[]>(answer, entriesCheck).map((entry) => ({ ...entry, kind: kindHere(entry.kind) }));
  }
  async definition(): Promise<VaultDefinition> {
    const { fields, systemFields, states, steps, mayDefine } = this.checked<
      Omit<VaultDefinition, 'steps'> & {
        readonly steps: readonly { readonly name: string; readonly from: string; readonly to: string; readonly sets: object }[];
      }
    >(await this.call('GET', '/api/definition'), definitionCheck);
    return {
      fields: fields.map(({ name, type, length, choices, initial, required, kinds, classes, fixed, retired }) => ({
        name,
        type,
        length,
        choices,
        initial,
        required,
        kinds: kinds.map(kindHere),
        classes,
        fixed,
        retired,
      })),
      systemFields,
      states,
      steps: steps.map(({ name, from, to, sets }) => ({ name, from, to, sets: Object.keys(sets) })),
      mayDefine,
    };
  }
  async saveField(name: string | null, field: VaultField): Promise<void> {
    const body = { ...field, kinds: field.kinds.map(kindThere) };
    const there = name === null ? await this.call('POST', '/api/fields', body) : await this.call('PUT', `/api/fields/${encodeURIComponent(name)}`, body);
    this.checked(there, fieldCheck);
  }
  async table(): Promise<VaultTableRow[]> {
    return this.checked(await this.call('GET', '/api/link-table'), tableCheck);
  }
  async saveTable(rows: readonly VaultTableRow[]): Promise<void> {
    this.checked(await this.call('PUT', '/api/link-table', { rows }), tableCheck);
  }
  async versions(id: number): Promise<VaultVersion[]> {
    return this.checked<VaultVersion[]>(await this.call('GET', `/api/files/${id}/versions`), versionsCheck).map(({ version, hash }) => ({ version, hash }));
  }
  async content(id: number): Promise<Uint8Array> {
    return (await this.bytes(`/api/files/${id}/content`)).body;
  }
  async checkOut(id: number): Promise<VaultEntry> {
    return this.entry(await this.call('POST', `/api/files/${id}/check-out`, { by: RULE_USER }));
  }
  async undoCheckOut(id: number): Promise<VaultEntry> {
    return this.entry(await this.call('POST', `/api/files/${id}/undo-check-out`, { by: RULE_USER }));
  }
  async checkIn(id: number, bytes: Uint8Array, comment: string, record: RecordChanges): Promise<VaultEntry> {
    return this.entry(await this.call('POST', `/api/files/${id}/check-in`, bytes, beside('x-check-in', { by: RULE_USER, comment, record })));
  }
  async writeRecord(id: number, record: RecordChanges): Promise<VaultEntry> {
    return this.entry(await this.call('PUT', `/api/files/${id}/record`, { by: RULE_USER, record }));
  }
  async add({ kind, ...addition }: Addition, bytes: Uint8Array): Promise<VaultEntry> {
    return this.entry(await this.call('POST', '/api/files', bytes, beside('x-add', { ...addition, by: RULE_USER, kind: kindThere(kind) })));
  }
}

/** Metadata of an upload, as a header. */
const beside = (name: string, value: object): Record<string, string> => ({ [name]: Buffer.from(JSON.stringify(value)).toString('base64url') });

/**
 * Parses an answer.
 * @throws AppError for refusals and invalid answers
 */
function answerOf(status: number, content: Buffer): unknown {
  let answer: unknown;
  try {
    const text = content.toString('utf8');
    answer = text === '' ? null : JSON.parse(text);
  } catch {
    throw vaultProblem("The vault's answer cannot be read.");
  }
  if (status >= 200 && status < 300) return answer;
  const detail = (answer as { message?: string } | null)?.message ?? `status ${status}`;
  if (status === 401 || status === 404 || status >= 500) throw vaultProblem(`The vault failed: ${detail}`);
  throw new AppError(409, 'vault-refused', `The vault refused: ${detail}`);
}

function* piecesOf(bytes: Uint8Array): Generator<Uint8Array> {
  for (let from = 0; from < bytes.length; from += PIECE) yield bytes.subarray(from, from + PIECE);
}
