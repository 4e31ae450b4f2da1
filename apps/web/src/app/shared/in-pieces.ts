import { Observable, concatMap, from, toArray } from 'rxjs';

/**
 * Asks for a list that is too long for one request in pieces, one after the other, and puts the answers together. The first
 * refusal ends it; what was asked before stands.
 */
export function inPieces<T, A>(list: readonly T[], size: number, ask: (piece: readonly T[]) => Observable<A>): Observable<A[]> {
  const pieces = Array.from({ length: Math.ceil(list.length / size) }, (_, i) => list.slice(i * size, (i + 1) * size));
  return from(pieces).pipe(concatMap(ask), toArray());
}
