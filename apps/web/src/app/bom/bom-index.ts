import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { fileName } from '@rule/core/files';
import { InputTextModule } from 'primeng/inputtext';
import { IndexEntry, IndexList, IndexRow } from '../shared';
import { BomStore } from './bom.store';

/** Number of assemblies from which a search field is shown. */
const MANY = 30;

/** Assemblies, layouts and kept lists to choose from. */
@Component({
  selector: 'rule-bom-index',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, IndexList, IndexRow, InputTextModule],
  template: `
    <h3>Assemblies</h3>
    @if (assemblies().length > many) {
      <input class="find" pInputText pSize="small" type="search" placeholder="Find an assembly" aria-label="Find an assembly" [(ngModel)]="sought" />
    }
    <rule-index-list [entries]="found()" [chosen]="store.assembly()" (choose)="go.emit({ assembly: $event, item: null, root: null, kept: null })" />
    @if (roots().length > 1) {
      <h3>Products in this file</h3>
      @for (root of roots(); track root.product) {
        <rule-index-row
          [text]="root.label"
          [on]="root.product === (store.table()?.root ?? roots()[0]!.product)"
          (choose)="go.emit({ root: root.product, item: null })"
        />
      }
    }
    <h3>Layouts</h3>
    @for (row of store.layouts(); track row.id) {
      <rule-index-row
        [text]="row.name"
        [end]="row.shared ? row.content.structure : 'only you'"
        [on]="row.id === store.layout()?.id"
        (choose)="go.emit({ layout: row.id, item: null, kept: null })"
      />
    }
    <h3>Kept</h3>
    @for (row of keptHere(); track row.id) {
      <rule-index-row [text]="row.title" [end]="dayOf(row.at)" [on]="'' + row.id === kept()" (choose)="go.emit({ kept: row.id, item: null })" />
    } @empty {
      <p class="hint">Keep a list to compare it with later ones.</p>
    }
  `,
  styles: `
    .hint {
      padding: 6px 18px 0;
      color: var(--soft);
      font-size: 12px;
    }
    .find {
      width: calc(100% - 36px);
      margin: 0 18px 6px;
    }
  `,
})
export class BomIndex {
  protected readonly store = inject(BomStore);
  /** Number of the kept list that is shown. */
  readonly kept = input<string>();
  /** Query parameters to go to. */
  readonly go = output<Record<string, string | number | null>>();
  /** Assemblies by name, with folder if ambiguous. */
  protected readonly assemblies = computed((): IndexEntry[] => {
    const rows = this.store.assemblies() ?? [];
    const times = new Map<string, number>();
    for (const { path } of rows) times.set(fileName(path), (times.get(fileName(path)) ?? 0) + 1);
    return rows.map(({ id, path, unmatched }) => ({
      id,
      text: times.get(fileName(path))! > 1 ? path : fileName(path),
      end: unmatched ? `${unmatched} unmatched` : '',
      tone: 'bad',
    }));
  });
  protected readonly many = MANY;
  protected readonly sought = signal('');
  protected readonly found = computed(() => {
    const sought = this.sought().trim().toLowerCase();
    return sought === '' ? this.assemblies() : this.assemblies().filter(({ text }) => text.toLowerCase().includes(sought));
  });
  protected readonly roots = computed(() => this.store.assemblies()?.find((row) => row.id === this.store.assembly())?.roots ?? []);
  protected readonly keptHere = computed(() => this.store.kept().filter((row) => row.assembly === this.store.assembly()));
  protected dayOf = (at: string) => at.slice(0, 10);
}
