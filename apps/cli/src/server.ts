import {
  ApplyMode,
  ApplyReport,
  ApplyStarted,
  BomRequest,
  CellTray,
  CompareBoms,
  FilesQuery,
  KeepBom,
  SendBom,
  SheetsQuery,
  PersonChange,
  PersonDraft,
  CellQuery,
  FileFilter,
  Problem,
  addressOf,
  methodAndPath,
  ReadingChoice,
  SendOutRequest,
} from '@rule/contract';
import { readSchemaDocument, schemaOfDocument } from '@rule/contract/checks';
import type { Answered, FileRoute, GivenTo, RouteName } from '@rule/contract/routes';
import { Schema } from '@rule/core/schema';
import { Trouble } from './trouble';

/** A file under its name. */
interface SentFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

/** The answer of a call, whatever its route. */
interface Parts {
  readonly params?: Readonly<Record<string, number>>;
  readonly query?: object;
  readonly body?: unknown;
}

/** Client of a Rule server, acting as the owner of its token. */
export class RuleServer {
  constructor(
    private readonly url: string,
    private readonly token: string,
  ) {}

  private async send(name: RouteName, { params, query, body }: Parts = {}, file?: SentFile): Promise<Response> {
    const address = new URL(`/api${addressOf(name, params)}`, this.url);
    for (const [key, value] of Object.entries(query ?? {}))
      if (value !== undefined && value !== null) address.searchParams.set(key, typeof value === 'object' ? JSON.stringify(value) : String(value));
    const { method } = methodAndPath(name);
    const headers: Record<string, string> = { authorization: `Bearer ${this.token}` };
    if (file) Object.assign(headers, { 'content-type': 'application/octet-stream', 'x-file-name': encodeURIComponent(file.name) });
    else if (body !== undefined) headers['content-type'] = 'application/json';
    let response: Response;
    try {
      response = await fetch(address, {
        method,
        headers,
        ...(file ? { body: Buffer.from(file.bytes) } : body === undefined ? {} : { body: JSON.stringify(body) }),
      });
    } catch {
      throw new Trouble(`${this.url} does not answer.`);
    }
    if (response.ok) return response;
    const problem = (await response.json().catch(() => null)) as Problem | null;
    throw new Trouble(problem?.detail ?? `${this.url} answers with status ${response.status}.`);
  }

  private async ask<Name extends RouteName>(name: Name, ...[given]: GivenTo<Name>): Promise<Answered<Name>> {
    return (await (await this.send(name, given)).json()) as Answered<Name>;
  }

  private async sendFile<Name extends FileRoute>(name: Name, file: SentFile): Promise<Answered<Name>> {
    return (await (await this.send(name, {}, file)).json()) as Answered<Name>;
  }

  draft = () => this.ask('GET /schema/draft');
  /** The draft as a JSON document, or an edition by its number. */
  document = (edition: number | null) => this.ask('GET /schema/document.json', { query: { edition } });
  importDocument = (name: string, bytes: Uint8Array) => this.sendFile('POST /schema/draft/document', { name, bytes });
  startTry = () => this.ask('POST /schema/tries');
  trySummary = () => this.ask('GET /schema/tries');
  people = () => this.ask('GET /people');
  addPerson = (body: PersonDraft) => this.ask('POST /people', { body });
  changePerson = (person: number, body: PersonChange) => this.ask('PUT /people/{person}', { params: { person }, body });
  resetPassword = (person: number) => this.ask('POST /people/{person}/password', { params: { person } });
  removePerson = (person: number) => this.ask('DELETE /people/{person}', { params: { person } });
  job = (job: number) => this.ask('GET /jobs/{job}', { params: { job } });

  tableLayouts = () => this.ask('GET /exchange/layouts');
  sendOut = (body: SendOutRequest) => this.ask('POST /exchange/send-outs', { body });
  sentFile = async (sendOut: number) =>
    new Uint8Array(await (await this.send('GET /exchange/send-outs/{sendOut}/file', { params: { sendOut } })).arrayBuffer());
  takeBack = (name: string, bytes: Uint8Array) => this.sendFile('POST /exchange/take-backs', { name, bytes });
  answerTakeBack = (takeBack: number, body: ReadingChoice) => this.ask('PUT /exchange/take-backs/{takeBack}/reading', { params: { takeBack }, body });
  reopenTakeBack = (takeBack: number) => this.ask('POST /exchange/take-backs/{takeBack}/reopen', { params: { takeBack } });
  takeBackView = (takeBack: number) => this.ask('GET /exchange/take-backs/{takeBack}', { params: { takeBack } });
  takeBackCells = (takeBack: number, query: CellQuery) => this.ask('GET /exchange/take-backs/{takeBack}/cells', { params: { takeBack }, query });
  applyTakeBack = async (takeBack: number, mode: ApplyMode): Promise<ApplyReport> =>
    this.reported(await this.ask('POST /exchange/take-backs/{takeBack}/apply', { params: { takeBack }, body: { mode } }));

  assemblies = () => this.ask('GET /bom/assemblies');
  bomLayouts = () => this.ask('GET /bom/layouts');
  bom = (file: number, body: BomRequest) => this.ask('POST /files/{file}/bom', { params: { file }, body });
  bomTable = async (file: number, body: SendBom) =>
    new Uint8Array(await (await this.send('POST /files/{file}/bom/table', { params: { file }, body })).arrayBuffer());
  keepBom = (file: number, body: KeepBom) => this.ask('POST /files/{file}/bom/kept', { params: { file }, body });
  keptBoms = () => this.ask('GET /bom/kept');
  compareBoms = (body: CompareBoms) => this.ask('POST /bom/compare', { body });
  whereUsed = (file: number) => this.ask('GET /files/{file}/where-used', { params: { file } });
  files = (query: FilesQuery) => this.ask('GET /survey/files', { query });

  blocks = () => this.ask('GET /title-blocks');
  blockSheets = (query: SheetsQuery) => this.ask('GET /title-blocks/sheets', { query });
  tray = () => this.ask('GET /tray');
  putCells = (body: CellTray) => this.ask('POST /title-blocks/tray', { body });
  applyTray = async (mode: ApplyMode, title: string): Promise<ApplyReport> => this.reported(await this.ask('POST /tray/apply', { body: { mode, title } }));

  /** Waits until an apply that has started ends. */
  private async reported({ job, report }: ApplyStarted): Promise<ApplyReport> {
    if (report) return report;
    for (;;) {
      const { state, message, result } = await this.job(job);
      if (state === 'done') return result as ApplyReport;
      if (state !== 'waiting' && state !== 'running') throw new Trouble(message ?? 'Applying was cancelled.');
      await new Promise((done) => setTimeout(done, 500));
    }
  }

  /** The schema in force, with the choices of its lists. */
  async schema(): Promise<Schema> {
    const read = readSchemaDocument(await this.document((await this.draft()).inForce));
    if (!read.ok) throw new Trouble(`${this.url} sends a schema that this version does not understand: ${read.error.details[0]!.message}.`);
    return schemaOfDocument(read.document);
  }

  properties = () => this.ask('GET /properties');
  check = (library: number, after: number) => this.ask('GET /check', { query: { library, after } });
  settings = () => this.ask('GET /settings');
  survey = (query: FileFilter) => this.ask('GET /survey', { query });

  /** The number of a library by its name. */
  async library(name: string): Promise<number> {
    const { libraries } = await this.survey({});
    const found = libraries.find((library) => library.name === name);
    if (!found)
      throw new Trouble(
        `There is no library ${JSON.stringify(name)}. There ${libraries.length === 1 ? 'is' : 'are'}: ${libraries.map((library) => library.name).join(', ') || 'none'}.`,
      );
    return found.id;
  }
}
