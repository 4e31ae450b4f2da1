import { DestroyRef, Signal, inject, signal } from '@angular/core';
import { FileFilter, FilesPage } from '@rule/contract';
import { Observable, Subscription } from 'rxjs';
import { Api, Notices } from '../shared';

/** Page size. */
const PAGE = 200;

/** A list loaded by page while scrolling. */
export class Pager<T> {
  private readonly list = signal<readonly T[]>([]);
  private readonly all = signal<number | null>(null);
  private asked: Subscription | undefined;
  private generation = 0;
  private source: ((offset: number, limit: number) => Observable<{ total: number; rows: readonly T[] }>) | undefined;
  readonly rows: Signal<readonly T[]> = this.list;
  private readonly broken = signal(false);
  /** `null` while the first page loads. */
  readonly total: Signal<number | null> = this.all;
  /** Whether a page failed to load; scrolling or restarting retries. */
  readonly failing: Signal<boolean> = this.broken;

  constructor(private readonly failed: (error: unknown) => void) {}

  /** Restarts with another source. */
  from(source: (offset: number, limit: number) => Observable<{ total: number; rows: readonly T[] }>): void {
    this.asked?.unsubscribe();
    this.asked = undefined;
    this.source = source;
    this.generation++;
    this.list.set([]);
    this.all.set(null);
    this.more();
  }

  /** Loads the next page near the end. */
  reached(row: number): void {
    if (row > this.list().length - PAGE / 2) this.more();
  }

  stop(): void {
    this.asked?.unsubscribe();
  }

  private more(): void {
    const at = this.list().length;
    const total = this.all();
    if (!this.source || (this.asked && !this.asked.closed) || (total !== null && at >= total)) return;
    const generation = this.generation;
    this.broken.set(false);
    this.asked = this.source(at, PAGE).subscribe({
      next: (page) => {
        if (generation !== this.generation) return;
        this.all.set(page.total);
        this.list.update((rows) => [...rows, ...page.rows]);
      },
      error: (error: unknown) => {
        this.broken.set(true);
        this.failed(error);
      },
    });
  }
}

/** Files found by a filter. Create in an injection context. */
export class FilePager extends Pager<FilesPage['rows'][number]> {
  private readonly api = inject(Api);

  constructor() {
    super(inject(Notices).failed);
    inject(DestroyRef).onDestroy(() => this.stop());
  }

  /** @param name a name whose values are shown with the files; empty for none */
  find(filter: FileFilter, name: string): void {
    this.from((offset, limit) => this.api.files({ ...filter, offset, limit, ...(name ? { name } : {}) }));
  }
}
