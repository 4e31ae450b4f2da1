import { HttpClient, HttpErrorResponse, HttpEvent, HttpEventType, HttpHeaders, HttpResponse } from '@angular/common/http';
import { Injectable, inject } from '@angular/core';
import { ParamsOf, Problem, addressOf, methodAndPath } from '@rule/contract';
import type { Answered, DownloadRoute, FileRoute, GivenTo, LineOf, LinesRoute, RouteName } from '@rule/contract/routes';
import { EMPTY, Observable, OperatorFunction, catchError, concatMap, defer, filter, from, map, of, retry, switchMap, take, throwError, timer } from 'rxjs';
import { LongWork } from './long-work';

/** A request's error, in the server's words if available. */
export function problemOf(error: unknown): Problem {
  const other = (code: string, detail: string, status = 0): Problem => ({ type: 'about:blank', title: code, status, code, detail });
  if (!(error instanceof HttpErrorResponse)) return other('unexpected', error instanceof Error ? error.message : String(error));
  const body = parse(error.error as unknown);
  if (body && typeof body === 'object' && 'code' in body) return body as Problem;
  return error.status === 0
    ? other('offline', 'The server does not answer. Try again, and check first whether your last change was saved.')
    : other('unexpected', `The server answered with status ${error.status}.`, error.status);
}

function parse(body: unknown): unknown {
  if (typeof body !== 'string') return body;
  try {
    return JSON.parse(body);
  } catch {
    return undefined;
  }
}

const isProblem = (line: unknown): line is { readonly problem: Problem } => line !== null && typeof line === 'object' && 'problem' in line;

/** Complete lines of a text that is still arriving. */
function linesOf(): OperatorFunction<HttpEvent<string>, string> {
  return (events) =>
    defer(() => {
      let taken = 0;
      return events.pipe(
        concatMap((event) => {
          const whole = event.type === HttpEventType.Response;
          const text = whole ? (event.body ?? '') : event.type === HttpEventType.DownloadProgress ? (event.partialText ?? '') : '';
          const end = whole ? text.length : text.lastIndexOf('\n') + 1;
          if (end <= taken) return EMPTY;
          const lines = text.slice(taken, end).split('\n');
          taken = end;
          return lines.filter((line) => line !== '');
        }),
      );
    });
}

/** Polling interval of a running job, in milliseconds. */
const LOOK_EVERY = 700;

/** The answer of a call, whatever its route. */
interface Parts {
  readonly params?: Readonly<Record<string, number>>;
  readonly query?: object;
  readonly body?: unknown;
}

/** Query parameters: blanks omitted; lists and conditions as JSON. */
const inAddress = (query: object): Record<string, string | number | boolean> =>
  Object.fromEntries(
    Object.entries(query)
      .filter(([, value]) => value !== undefined && value !== null && value !== '')
      .map(([key, value]) => [key, typeof value === 'object' ? JSON.stringify(value) : (value as string | number | boolean)]),
  );

const fileHeaders = (name: string, more: Readonly<Record<string, string>> = {}): HttpHeaders =>
  new HttpHeaders({ ...more, 'x-file-name': encodeURIComponent(name), 'content-type': 'application/octet-stream' });

/** Typed client of the route table. */
@Injectable({ providedIn: 'root' })
export class Server {
  private readonly http = inject(HttpClient);
  private readonly longWork = inject(LongWork);

  ask<Name extends RouteName>(name: Name, ...[given]: GivenTo<Name>): Observable<Answered<Name>> {
    const { params, query, body = undefined } = (given ?? {}) as Parts;
    const { method } = methodAndPath(name);
    return this.http.request<Answered<Name>>(method, `/api${addressOf(name, params)}`, {
      // Writing requests always send JSON, even if empty.
      ...(method === 'POST' || method === 'PUT' ? { body: body ?? {} } : {}),
      ...(query ? { params: inAddress(query) } : {}),
    });
  }

  /** The answers of a route that answers in lines, each as soon as it has arrived. */
  lines<Name extends LinesRoute>(name: Name, ...[given]: GivenTo<Name>): Observable<LineOf<Name>> {
    const { params, query, body } = (given ?? {}) as Parts;
    const { method } = methodAndPath(name);
    const asked = { body, ...(query ? { params: inAddress(query) } : {}), observe: 'events', reportProgress: true, responseType: 'text' } as const;
    return this.http.request(method, `/api${addressOf(name, params)}`, asked).pipe(
      linesOf(),
      concatMap((text) => {
        const line = JSON.parse(text) as LineOf<Name> | { readonly problem: Problem };
        return isProblem(line) ? throwError(() => new HttpErrorResponse({ error: line.problem, status: line.problem.status })) : of(line);
      }),
    );
  }

  /** Sends a file as request body. */
  sendFile<Name extends FileRoute>(name: Name, file: File, params?: ParamsOf<Name>, more: Readonly<Record<string, string>> = {}): Observable<Answered<Name>> {
    return this.http.post<Answered<Name>>(`/api${addressOf(name, params)}`, file, { headers: fileHeaders(file.name, more) });
  }

  /** Sends a file to a path, with progress events. */
  upload<Name extends FileRoute>(name: Name, path: string, file: File, params: ParamsOf<Name>): Observable<HttpEvent<Answered<Name>>> {
    return this.http.post<Answered<Name>>(`/api${addressOf(name, params)}`, file, {
      headers: fileHeaders(path),
      observe: 'events',
      reportProgress: true,
    });
  }

  /** A generated file with its name. */
  download<Name extends DownloadRoute>(name: Name, ...[given]: GivenTo<Name>): Observable<{ name: string; blob: Blob }> {
    const { params, query, body } = (given ?? {}) as Parts;
    const { method } = methodAndPath(name);
    const path = `/api${addressOf(name, params)}`;
    return this.http.request(method, path, { body, ...(query ? { params: inAddress(query) } : {}), observe: 'response', responseType: 'blob' }).pipe(
      map((response: HttpResponse<Blob>) => {
        const given = /filename\*=UTF-8''([^;]+)/.exec(response.headers.get('content-disposition') ?? '')?.[1];
        return { name: given ? decodeURIComponent(given) : 'table', blob: response.body! };
      }),
      // Errors arrive as blobs too and are decoded.
      catchError((error: unknown) => {
        if (!(error instanceof HttpErrorResponse) || !(error.error instanceof Blob)) return throwError(() => error);
        const { headers, status, statusText, url } = error;
        return from(error.error.text()).pipe(
          switchMap((text) => throwError(() => new HttpErrorResponse({ error: text, headers, status, statusText, url: url ?? path }))),
        );
      }),
    );
  }

  /** The result of work that may continue as a job, followed to its end across connection losses. */
  reportOf<T>(started: Observable<{ readonly job: number; readonly report: T | null }>): Observable<T> {
    return started.pipe(
      switchMap(({ job, report }) => {
        if (report) return of(report);
        this.longWork.begun.next(job);
        return timer(LOOK_EVERY, LOOK_EVERY).pipe(
          switchMap(() => this.ask('GET /jobs/{job}', { params: { job } })),
          retry({ delay: LOOK_EVERY }),
          filter((row) => row.state !== 'waiting' && row.state !== 'running'),
          take(1),
          map((row) => {
            if (row.state === 'done') return row.result as T;
            throw new Error(row.message ?? 'It was cancelled. Nothing was changed.');
          }),
        );
      }),
    );
  }
}
