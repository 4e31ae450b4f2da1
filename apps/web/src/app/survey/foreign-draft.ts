import { Injectable, signal } from '@angular/core';
import { ForeignRequest, ForeignRow } from '@rule/contract';

/** The mapping being built, kept while visiting other views. */
@Injectable({ providedIn: 'root' })
export class ForeignDraft {
  readonly id = signal<number | null>(null);
  readonly name = signal('');
  readonly rows = signal<readonly ForeignRow[]>([]);
  readonly clash = signal<ForeignRequest['clash']>('keep ours');
  readonly keep = signal(false);
}
