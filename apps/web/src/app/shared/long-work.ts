import { Injectable } from '@angular/core';
import { Subject } from 'rxjs';

/** Requests that continue as jobs. */
@Injectable({ providedIn: 'root' })
export class LongWork {
  /** Emits the number of a job started by a request. */
  readonly begun = new Subject<number>();
}
