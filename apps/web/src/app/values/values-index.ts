import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FINDING_KINDS, FindingKind } from '@rule/contract';
import { Kind } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { InputTextModule } from 'primeng/inputtext';
import { IndexRow, afterTyping, catalogueFeature } from '../shared';
import { FINDING_TEXTS, plural } from './words';
import { ValuesStore } from './values.store';

/** What Values can show: a search, things to do, findings, kinds and folders. */
@Component({
  selector: 'rule-values-index',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, IndexRow, InputTextModule],
  template: `
    <div class="find">
      <input pInputText placeholder="Find files by any value" aria-label="Find files by any value" [ngModel]="search()" (ngModelChange)="searched($event)" />
    </div>
    <rule-index-row text="To do" [end]="toDoCount()" tone="warn" [on]="view() === 'to-do'" (choose)="go.emit({ view: 'to-do', fill: null })" />
    <rule-index-row text="Projects and sets" [on]="view() === 'projects'" (choose)="go.emit({ view: 'projects', fill: null })" />
    @for (kind of findingKinds; track kind) {
      <rule-index-row
        [text]="findingTexts[kind]"
        [end]="findingCounts()[kind]"
        tone="warn"
        [on]="view() === 'grid' && having() === kind"
        (choose)="go.emit({ finding: having() === kind ? null : kind, view: null, fill: null })"
      />
    }
    <h3>Kinds</h3>
    <rule-index-row
      text="All files"
      [end]="all()"
      [on]="view() === 'grid' && !kind() && !folder()"
      (choose)="go.emit({ kind: null, folder: null, view: null, fill: null })"
    />
    @for (row of grid.kinds(); track row.kind) {
      <rule-index-row
        [text]="plural(row.kind)"
        [end]="row.files"
        [on]="kind() === row.kind"
        (choose)="go.emit({ kind: kind() === row.kind ? null : row.kind, view: null, fill: null })"
      />
    }
    <h3>Folders</h3>
    @for (row of grid.folders(); track row.folder) {
      <rule-index-row
        [text]="leaf(row.folder)"
        [depth]="depth(row.folder)"
        [end]="row.files"
        [on]="folder() === row.folder"
        (choose)="go.emit({ folder: folder() === row.folder ? null : row.folder, view: null, fill: null })"
      />
    }
  `,
  styles: `
    .find {
      padding: 0 26px 8px 14px;
    }
    .find input {
      width: 100%;
    }
  `,
})
export class ValuesIndex {
  protected readonly grid = inject(ValuesStore);
  readonly view = input.required<'grid' | 'to-do' | 'projects'>();
  readonly kind = input<Kind>();
  readonly folder = input<string>();
  readonly search = input<string>();
  /** The finding that the rows are limited to. */
  readonly having = input<FindingKind>();
  /** Query parameters to go to. */
  readonly go = output<Record<string, string | number | null>>();
  private readonly overview = inject(Store).selectSignal(catalogueFeature.selectOverview);
  protected readonly toDoCount = computed(() => this.overview()?.toDo.find((entry) => entry.view === 'to-do')?.count ?? '');
  protected readonly findingKinds = FINDING_KINDS;
  protected readonly findingTexts = FINDING_TEXTS;
  protected readonly findingCounts = computed((): Readonly<Record<FindingKind, number | string>> => {
    const count = (kind: FindingKind) => this.overview()?.toDo.find((entry) => entry.finding === kind)?.count ?? '';
    return { missing: count('missing'), stale: count('stale'), wrong: count('wrong') };
  });
  protected readonly all = computed(() => this.grid.kinds().reduce((sum, row) => sum + row.files, 0));
  protected readonly plural = plural;
  private readonly soon = afterTyping();

  protected leaf(folder: string): string {
    return folder === '' ? 'top folder' : folder.slice(folder.lastIndexOf('/') + 1);
  }
  protected depth(folder: string): number {
    return folder.split('/').length - 1;
  }
  protected searched(text: string): void {
    this.soon(() => this.go.emit({ search: text.trim() || null, view: null }));
  }
}
