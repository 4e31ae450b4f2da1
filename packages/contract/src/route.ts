import type { ObjectSchema } from 'joi';
import { Role } from './session';

/** What a route answers with. What the JSON is stands for the compiler alone, and for the published description that is made from it. */
export interface Answer<T> {
  readonly media: string;
  /** Never set. */
  readonly of?: T;
}

/** An answer as JSON. */
export const json = <T>(): Answer<T> => ({ media: 'application/json' });
/** An answer that says no more than that it is done. */
export const nothing: Answer<null> = { media: 'application/json' };
/** A file or page as it is. @param media its type */
export const bytes = (media: string): Answer<Uint8Array> => ({ media });
/** Events that go on until someone stops to listen. */
export interface Events<T> {
  readonly each: T;
}
/** Server-sent events, each with its data as JSON. */
export const events = <T>(): Answer<Events<T>> => ({ media: 'text/event-stream' });

/** One route of the API: all that server, callers and the published description need to know of it. Its name holds method and path. */
export interface RouteShape {
  /** One sentence for people who read the description. */
  readonly summary: string;
  /** The least role that may ask. `null` where nobody need be signed in. */
  readonly role: Role | null;
  /** Checks of the query; what it fills in may be left out by who asks. */
  readonly query?: ObjectSchema;
  /** Keys of the query that nothing fills in: they must be given. */
  readonly needs?: readonly string[];
  readonly body?: ObjectSchema;
  /** Set for routes that take a file as the raw body; the limit in bytes. */
  readonly upload?: number;
  /** Set for routes that read a file of any size from the body as it comes. */
  readonly stream?: true;
  /** Set for what people may do who still have their first password. */
  readonly beforeOwnPassword?: true;
  readonly answer: Answer<unknown>;
}

/** Routes by name: method and path below `/api`, with numbers in the path as `{name}`. */
export type RouteTable = Readonly<Record<`${'GET' | 'POST' | 'PUT' | 'DELETE'} /${string}`, RouteShape>>;

/** The names of the numbers in a path. */
type Names<Path extends string> = Path extends `${string}{${infer Name}}${infer Rest}` ? Name | Names<Rest> : never;
/** The numbers that are in a route's path. */
export type ParamsOf<Name extends string> = Readonly<Record<Names<Name>, number>>;
/** What a route's checks give for its query. */
export type QueryOf<Route> = Route extends { readonly query: ObjectSchema<infer Query> } ? Query : undefined;
/** What a route's checks give for its body. */
export type BodyOf<Route> = Route extends { readonly body: ObjectSchema<infer Body> } ? Body : undefined;
/** What a route answers with. */
export type AnswerOf<Route> = Route extends { readonly answer: Answer<infer Given> } ? Given : never;

/** The parts of a route's name. */
export function methodAndPath(name: string): { readonly method: string; readonly path: string } {
  const at = name.indexOf(' ');
  return { method: name.slice(0, at), path: name.slice(at + 1) };
}

/** The address of a route below `/api`, with its numbers put in. */
export const addressOf = (name: string, params: Readonly<Record<string, number>> = {}): string =>
  methodAndPath(name).path.replace(/\{(\w+)\}/g, (_whole, key: string) => String(params[key]));
