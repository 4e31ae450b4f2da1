import type { ObjectSchema } from 'joi';
import { Role } from './session';

/** A route's answer. The JSON type exists for the compiler and the API description. */
export interface Answer<T> {
  readonly media: string;
  /** Never set; carries the type. */
  readonly of?: T;
}

/** An answer as JSON. */
export const json = <T>(): Answer<T> => ({ media: 'application/json' });
/** An answer without content. */
export const nothing: Answer<null> = { media: 'application/json' };
/**
 * A file or page.
 * @param media its type
 */
export const bytes = (media: string): Answer<Uint8Array> => ({ media });
/** An event stream. */
export interface Events<T> {
  readonly each: T;
}
/** Server-sent events with JSON data. */
export const events = <T>(): Answer<Events<T>> => ({ media: 'text/event-stream' });

/** Several answers, one after the other. */
export interface Lines<T> {
  readonly line: T;
}
/** JSON texts, one a line, each sent as soon as it is known. What fails after the first comes as a last line, `{ problem }`. */
export const lines = <T>(): Answer<Lines<T>> => ({ media: 'application/x-ndjson' });

/** A route: everything server, callers and description need. Its key is method and path. */
export interface RouteShape {
  /** One-sentence summary for the description. */
  readonly summary: string;
  /** Minimum role; `null` for public routes. */
  readonly role: Role | null;
  /** Query checks; keys with defaults may be omitted by callers. */
  readonly query?: ObjectSchema;
  /** Required query keys. */
  readonly needs?: readonly string[];
  readonly body?: ObjectSchema;
  /** Set for routes with a raw file body: limit in bytes. */
  readonly upload?: number;
  /** Set for routes that stream a file body of any size. */
  readonly stream?: true;
  /** Set for routes allowed with an initial password. */
  readonly beforeOwnPassword?: true;
  readonly answer: Answer<unknown>;
}

/** Routes by method and path below `/api`, with path numbers as `{name}`. */
export type RouteTable = Readonly<Record<`${'GET' | 'POST' | 'PUT' | 'DELETE'} /${string}`, RouteShape>>;

/** Names of path numbers. */
type Names<Path extends string> = Path extends `${string}{${infer Name}}${infer Rest}` ? Name | Names<Rest> : never;
/** Path numbers of a route. */
export type ParamsOf<Name extends string> = Readonly<Record<Names<Name>, number>>;
/** Query type of a route. */
export type QueryOf<Route> = Route extends { readonly query: ObjectSchema<infer Query> } ? Query : undefined;
/** Body type of a route. */
export type BodyOf<Route> = Route extends { readonly body: ObjectSchema<infer Body> } ? Body : undefined;
/** Answer type of a route. */
export type AnswerOf<Route> = Route extends { readonly answer: Answer<infer Given> } ? Given : never;

/** Method and path of a route name. */
export function methodAndPath(name: string): { readonly method: string; readonly path: string } {
  const at = name.indexOf(' ');
  return { method: name.slice(0, at), path: name.slice(at + 1) };
}

/** URL of a route below `/api`, with numbers filled in. */
export const addressOf = (name: string, params: Readonly<Record<string, number>> = {}): string =>
  methodAndPath(name).path.replace(/\{(\w+)\}/g, (_whole, key: string) => String(params[key]));
