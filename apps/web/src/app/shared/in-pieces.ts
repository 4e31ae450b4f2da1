import { Observable, concatMap, from, toArray } from 'rxjs';

/** Sends a long list in several requests and combines the answers. The first refusal stops; earlier requests stand. */
export function inPieces<T, A>(list: readonly T[], size: number, ask: (piece: readonly T[]) => Observable<A>): Observable<A[]> {
  const pieces = Array.from({ length: Math.ceil(list.length / size) }, (_, i) => list.slice(i * size, (i + 1) * size));
  return from(pieces).pipe(concatMap(ask), toArray());
}
