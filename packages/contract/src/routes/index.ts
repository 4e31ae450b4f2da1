import { AnswerOf, BodyOf, Lines, ParamsOf, QueryOf, RouteShape } from '../route';
import { bomRoutes } from './bom';
import { changesRoutes } from './changes';
import { companyRoutes } from './company';
import { exchangeRoutes } from './exchange';
import { jobsRoutes } from './jobs';
import { libraryRoutes } from './library';
import { listsRoutes } from './lists';
import { peopleRoutes } from './people';
import { projectsRoutes } from './projects';
import { schemaRoutes } from './schema';
import { sessionRoutes } from './session';
import { surveyRoutes } from './survey';
import { titleBlockRoutes } from './title-blocks';
import { valuesRoutes } from './values';
import { vaultRoutes } from './vault';

export type { AnswerOf, BodyOf, Events, Lines, ParamsOf, QueryOf, RouteShape } from '../route';

/** Routes by area, in the order of the description. */
export const AREAS = {
  Sessions: sessionRoutes,
  Company: companyRoutes,
  Libraries: libraryRoutes,
  Survey: surveyRoutes,
  Schema: schemaRoutes,
  'Choice lists and number series': listsRoutes,
  Values: valuesRoutes,
  'Projects and drawing sets': projectsRoutes,
  'Tray and history': changesRoutes,
  'Title blocks': titleBlockRoutes,
  BOM: bomRoutes,
  Vault: vaultRoutes,
  Exchange: exchangeRoutes,
  'Long work': jobsRoutes,
  'People and tokens': peopleRoutes,
} as const;

/** All routes, each stated once in its area. */
export const ROUTES = {
  ...sessionRoutes,
  ...companyRoutes,
  ...libraryRoutes,
  ...surveyRoutes,
  ...schemaRoutes,
  ...listsRoutes,
  ...valuesRoutes,
  ...projectsRoutes,
  ...changesRoutes,
  ...titleBlockRoutes,
  ...bomRoutes,
  ...vaultRoutes,
  ...exchangeRoutes,
  ...jobsRoutes,
  ...peopleRoutes,
};
/** The route table as a type. */
export type Routes = typeof ROUTES;
/** Method and path of a route. */
export type RouteName = keyof Routes;

/** Route names of an area. */
export type NamesIn<Area extends keyof typeof AREAS> = keyof (typeof AREAS)[Area] & RouteName;

/** Answer type of a route. */
export type Answered<Name extends RouteName> = AnswerOf<Routes[Name]>;

type Needed<Name extends RouteName> = Routes[Name] extends { readonly needs: readonly (infer Key)[] } ? Key : never;
type Asked<Query, Key> = Partial<Query> & { readonly [K in keyof Query as K extends Key ? K : never]: Query[K] };
type QueryGiven<Name extends RouteName> = [QueryOf<Routes[Name]>] extends [undefined]
  ? { readonly query?: undefined }
  : [Needed<Name>] extends [never]
    ? { readonly query?: Partial<QueryOf<Routes[Name]>> }
    : { readonly query: Asked<QueryOf<Routes[Name]>, Needed<Name>> };
type ParamsGiven<Name extends RouteName> = [keyof ParamsOf<Name>] extends [never] ? { readonly params?: undefined } : { readonly params: ParamsOf<Name> };
type BodyGiven<Name extends RouteName> = [BodyOf<Routes[Name]>] extends [undefined] ? { readonly body?: undefined } : { readonly body: BodyOf<Routes[Name]> };

/** Input of a call: path numbers, query and body. Query keys with defaults may be omitted. */
export type Given<Name extends RouteName> = ParamsGiven<Name> & QueryGiven<Name> & BodyGiven<Name>;

/** The same as call arguments; none if nothing is needed. */
export type GivenTo<Name extends RouteName> = object extends Given<Name> ? [given?: Given<Name>] : [given: Given<Name>];

/** Routes with a raw file body. */
export type FileRoute = { [Name in RouteName]: Routes[Name] extends { readonly upload: number } | { readonly stream: true } ? Name : never }[RouteName];
/** Routes that answer with a file. */
export type DownloadRoute = { [Name in RouteName]: Answered<Name> extends Uint8Array ? Name : never }[RouteName];

/** Routes that answer in lines. */
export type LinesRoute = { [Name in RouteName]: Answered<Name> extends Lines<unknown> ? Name : never }[RouteName];
/** What one line of such a route is. */
export type LineOf<Name extends LinesRoute> = Answered<Name> extends Lines<infer Line> ? Line : never;

/** Whether a route takes a raw file body. */
export const takesFile = (route: RouteShape): boolean => route.upload !== undefined || route.stream === true;
