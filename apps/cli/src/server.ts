import { FilesPage, GridPage, Problem, Remark, Settings, Survey } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { Trouble } from './trouble';

/** A server of Rule as the command line talks to it, for the person whose token it carries. */
export class RuleServer {
  constructor(
    private readonly url: string,
    private readonly token: string,
  ) {}

  private async get<T>(path: string, query: Readonly<Record<string, string | number>> = {}): Promise<T> {
    const address = new URL(`/api${path}`, this.url);
    for (const [key, value] of Object.entries(query)) address.searchParams.set(key, String(value));
    let response: Response;
    try {
      response = await fetch(address, { headers: { authorization: `Bearer ${this.token}` } });
    } catch {
      throw new Trouble(`${this.url} does not answer.`);
    }
    if (response.ok) return (await response.json()) as T;
    const problem = (await response.json().catch(() => null)) as Problem | null;
    throw new Trouble(problem?.detail ?? `${this.url} answers with status ${response.status}.`);
  }

  properties = () => this.get<Property[]>('/properties');
  settings = () => this.get<Settings>('/settings');
  survey = (query: Readonly<Record<string, string | number>>) => this.get<Survey>('/survey', query);
  remarks = () => this.get<Remark[]>('/survey/remarks');
  files = (query: Readonly<Record<string, string | number>>) => this.get<FilesPage>('/survey/files', query);
  values = (query: Readonly<Record<string, string | number>>) => this.get<GridPage>('/values', query);

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
