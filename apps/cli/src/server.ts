import {
  ApplyMode,
  ApplyReport,
  ApplyStarted,
  FirstPassword,
  PersonChange,
  PersonDraft,
  PersonRow,
  CellPage,
  CellQuery,
  CheckPage,
  DraftView,
  JobRow,
  Layouts,
  Problem,
  ReadingChoice,
  SendOutRequest,
  SendOutStarted,
  Settings,
  Survey,
  TakeBackView,
  TrySummary,
} from '@rule/contract';
import { readSchemaDocument, schemaOfDocument } from '@rule/contract/checks';
import { Property, Schema } from '@rule/core/schema';
import { Trouble } from './trouble';

/** What goes with a request: a file under its name, or JSON. */
type Body = { readonly name: string; readonly bytes: Uint8Array } | { readonly json: object };

/** A server of Rule as the command line talks to it, for the person whose token it carries. */
export class RuleServer {
  constructor(
    private readonly url: string,
    private readonly token: string,
  ) {}

  private async send(method: string, path: string, query: Readonly<Record<string, string | number>>, body?: Body): Promise<Response> {
    const address = new URL(`/api${path}`, this.url);
    for (const [key, value] of Object.entries(query)) address.searchParams.set(key, String(value));
    const headers: Record<string, string> = { authorization: `Bearer ${this.token}` };
    if (body && 'bytes' in body) Object.assign(headers, { 'content-type': 'application/octet-stream', 'x-file-name': encodeURIComponent(body.name) });
    else if (body) headers['content-type'] = 'application/json';
    let response: Response;
    try {
      response = await fetch(address, { method, headers, ...(body ? { body: 'bytes' in body ? Buffer.from(body.bytes) : JSON.stringify(body.json) } : {}) });
    } catch {
      throw new Trouble(`${this.url} does not answer.`);
    }
    if (response.ok) return response;
    const problem = (await response.json().catch(() => null)) as Problem | null;
    throw new Trouble(problem?.detail ?? `${this.url} answers with status ${response.status}.`);
  }

  private async ask<T>(method: string, path: string, query: Readonly<Record<string, string | number>> = {}, body?: Body): Promise<T> {
    return (await (await this.send(method, path, query, body)).json()) as T;
  }

  private get<T>(path: string, query: Readonly<Record<string, string | number>> = {}): Promise<T> {
    return this.ask('GET', path, query);
  }

  draft = () => this.get<DraftView>('/schema/draft');
  /** The draft as a JSON document, or an edition by its number. */
  document = (edition: number | null) => this.get<Record<string, unknown>>('/schema/document.json', edition === null ? {} : { edition });
  importDocument = (name: string, bytes: Uint8Array) => this.ask<DraftView>('POST', '/schema/draft/document', {}, { name, bytes });
  startTry = () => this.ask<{ id: number; job: number }>('POST', '/schema/tries');
  trySummary = () => this.get<{ summary: TrySummary | null }>('/schema/tries');
  people = () => this.get<PersonRow[]>('/people');
  addPerson = (json: PersonDraft) => this.ask<FirstPassword>('POST', '/people', {}, { json });
  changePerson = (id: number, json: PersonChange) => this.ask<PersonRow>('PUT', `/people/${id}`, {}, { json });
  resetPassword = (id: number) => this.ask<FirstPassword>('POST', `/people/${id}/password`, {}, { json: {} });
  removePerson = (id: number) => this.ask<null>('DELETE', `/people/${id}`);
  job = (id: number) => this.get<JobRow>(`/jobs/${id}`);

  tableLayouts = () => this.get<Layouts>('/exchange/layouts');
  sendOut = (json: SendOutRequest) => this.ask<SendOutStarted>('POST', '/exchange/send-outs', {}, { json });
  sentFile = async (id: number) => new Uint8Array(await (await this.send('GET', `/exchange/send-outs/${id}/file`, {})).arrayBuffer());
  takeBack = (name: string, bytes: Uint8Array) => this.ask<TakeBackView>('POST', '/exchange/take-backs', {}, { name, bytes });
  answerTakeBack = (id: number, json: ReadingChoice) => this.ask<TakeBackView>('PUT', `/exchange/take-backs/${id}/reading`, {}, { json });
  reopenTakeBack = (id: number) => this.ask<TakeBackView>('POST', `/exchange/take-backs/${id}/reopen`, {}, { json: {} });
  takeBackView = (id: number) => this.get<TakeBackView>(`/exchange/take-backs/${id}`);
  takeBackCells = (id: number, query: CellQuery) => this.get<CellPage>(`/exchange/take-backs/${id}/cells`, { ...query });
  applyTakeBack = async (id: number, mode: ApplyMode): Promise<ApplyReport> => {
    const { job, report } = await this.ask<ApplyStarted>('POST', `/exchange/take-backs/${id}/apply`, {}, { json: { mode } });
    if (report) return report;
    for (;;) {
      const { state, message, result } = await this.job(job);
      if (state === 'done') return result as ApplyReport;
      if (state !== 'waiting' && state !== 'running') throw new Trouble(message ?? 'Applying was cancelled.');
      await new Promise((done) => setTimeout(done, 500));
    }
  };

  /** The schema in force, with the choices of its lists. */
  async schema(): Promise<Schema> {
    const read = readSchemaDocument(await this.document((await this.draft()).inForce));
    if (!read.ok) throw new Trouble(`${this.url} sends a schema that this version does not understand: ${read.error.details[0]!.message}.`);
    return schemaOfDocument(read.document);
  }

  properties = () => this.get<Property[]>('/properties');
  check = (library: number, after: number) => this.get<CheckPage>('/check', { library, after });
  settings = () => this.get<Settings>('/settings');
  survey = (query: Readonly<Record<string, string | number>>) => this.get<Survey>('/survey', query);

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
