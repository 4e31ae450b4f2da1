import { CollectionViewer, DataSource } from '@angular/cdk/collections';
import { CellPage, TakeBackCellRow } from '@rule/contract';
import { BehaviorSubject, Observable, Subscription } from 'rxjs';

/** Cells loaded at a time. */
export const PAGE = 200;
/** Maximum cached pages; least recently used ones are dropped. */
const KEPT = 40;

/** Cells of a take-back, loaded by page on demand, so a million cells need little memory. */
export class CellSource extends DataSource<TakeBackCellRow | undefined> {
  private readonly cells = new BehaviorSubject<readonly (TakeBackCellRow | undefined)[]>([]);
  private readonly pages = new Map<number, Subscription | null>();
  private watching: Subscription | undefined;
  private list: (TakeBackCellRow | undefined)[] = [];
  private known = false;
  private sight = { start: 0, end: 1 };

  /** @param read loads a page; `total` receives the cell count */
  constructor(
    private readonly read: (offset: number, limit: number) => Observable<CellPage>,
    private readonly total: (total: number) => void,
    private readonly failed: (failure: unknown) => void,
  ) {
    super();
    this.bring(0);
  }

  connect(viewer: CollectionViewer): Observable<readonly (TakeBackCellRow | undefined)[]> {
    this.watching = viewer.viewChange.subscribe(({ start, end }) => {
      this.sight = { start, end };
      for (let page = Math.floor(start / PAGE); page <= Math.floor(Math.max(start, end - 1) / PAGE); page++) this.bring(page);
    });
    return this.cells;
  }

  disconnect(): void {
    this.watching?.unsubscribe();
  }

  /** Cancels pending loads. */
  close(): void {
    for (const reading of this.pages.values()) reading?.unsubscribe();
    this.cells.complete();
  }

  /** Reloads visible pages, showing old data meanwhile. */
  refresh(): void {
    for (const reading of this.pages.values()) reading?.unsubscribe();
    this.pages.clear();
    this.known = false;
    for (let page = Math.floor(this.sight.start / PAGE); page <= Math.floor(Math.max(this.sight.start, this.sight.end - 1) / PAGE); page++) this.bring(page);
  }

  private bring(page: number): void {
    if (this.pages.has(page) || (this.known && page * PAGE >= this.list.length)) return;
    // Marked as requested first, as the answer may be synchronous.
    this.pages.set(page, null);
    const reading = this.read(page * PAGE, PAGE).subscribe({
      next: ({ total, cells }) => {
        if (this.list.length !== total) this.list = Array.from({ length: total }, (_, i) => this.list[i]);
        this.known = true;
        this.total(total);
        cells.forEach((cell, i) => (this.list[page * PAGE + i] = cell));
        this.giveUp(page);
        // Same array: copying a million entries would cost a frame.
        this.cells.next(this.list);
      },
      error: this.failed,
    });
    if (this.pages.has(page)) this.pages.set(page, reading);
  }

  private giveUp(newest: number): void {
    for (const page of this.pages.keys()) {
      if (this.pages.size <= KEPT) return;
      if (page === newest) continue;
      this.list.fill(undefined, page * PAGE, (page + 1) * PAGE);
      this.pages.delete(page);
    }
  }
}
