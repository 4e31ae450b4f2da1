import { Injectable } from '@angular/core';
import { Subject } from 'rxjs';

/** Requests whose work goes on as a job on the server: whoever shows jobs looks for them. */
@Injectable({ providedIn: 'root' })
export class LongWork {
  /** Emits the number of a job that a request has begun and does not wait for. */
  readonly begun = new Subject<number>();
}
