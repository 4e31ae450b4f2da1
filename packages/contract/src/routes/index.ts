import { AnswerOf, BodyOf, ParamsOf, QueryOf, RouteShape } from '../route';
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

export type { AnswerOf, BodyOf, Events, ParamsOf, QueryOf, RouteShape } from '../route';

/** The routes by what they are about, in the order of the published description. */
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

/** All routes of the API: each is stated once, in its area. */
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
/** Method and path of a route, by which callers name it. */
export type RouteName = keyof Routes;

/** The names of the routes of an area. */
export type NamesIn<Area extends keyof typeof AREAS> = keyof (typeof AREAS)[Area] & RouteName;

/** What one route's answer is. */
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

/** What a caller of a route gives: numbers of the path, query and body. What the query's checks fill in may be left out. */
export type Given<Name extends RouteName> = ParamsGiven<Name> & QueryGiven<Name> & BodyGiven<Name>;

/** The same as arguments of a call: nothing need be given where nothing is asked. */
export type GivenTo<Name extends RouteName> = object extends Given<Name> ? [given?: Given<Name>] : [given: Given<Name>];

/** Routes that take the raw bytes of a file. */
export type FileRoute = { [Name in RouteName]: Routes[Name] extends { readonly upload: number } | { readonly stream: true } ? Name : never }[RouteName];
/** Routes that answer with a file. */
export type DownloadRoute = { [Name in RouteName]: Answered<Name> extends Uint8Array ? Name : never }[RouteName];

/** Whether a route takes the raw bytes of a file. */
export const takesFile = (route: RouteShape): boolean => route.upload !== undefined || route.stream === true;
