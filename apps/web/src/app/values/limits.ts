import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { Clause, FindingKind } from '@rule/contract';
import { Store } from '@ngrx/store';
import { catalogueFeature, sessionFeature } from '../shared';
import { clauseText } from './column-filter';
import { FINDING_TEXTS } from './words';

/** What limits the rows of the grid; each limit can be taken away. */
@Component({
  selector: 'rule-limits',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (folder()) {
      <button type="button" class="chip plain" (click)="go.emit({ folder: null })">folder: {{ folder() }} ×</button>
    }
    @if (having(); as kind) {
      <button type="button" class="chip plain" (click)="go.emit({ finding: null })">{{ findingTexts[kind] }} ×</button>
      @if (kind === 'stale' && mayEdit() && any()) {
        <button type="button" class="link" (click)="renewAll.emit()">Bring all up to date</button>
      }
    }
    @if (search()) {
      <button type="button" class="chip plain" (click)="go.emit({ search: null })">holds: {{ search() }} ×</button>
    }
    @for (clause of clauses(); track $index; let i = $index) {
      <button type="button" class="chip plain" (click)="dropClause(i)">{{ clauseText(clause) }} ×</button>
    }
  `,
  styles: `
    :host {
      display: inline-flex;
      flex-wrap: wrap;
      gap: 6px;
    }
    button.chip {
      padding: 1px 8px;
    }
  `,
})
export class Limits {
  private readonly store = inject(Store);
  readonly folder = input<string | undefined>();
  readonly having = input<FindingKind | undefined>();
  readonly search = input<string | undefined>();
  readonly clauses = input.required<readonly Clause[]>();
  /** Whether there are rows. */
  readonly any = input(false);
  /** Changes of the address. */
  readonly go = output<Record<string, string | number | null>>();
  /** Stale values of all rows shall be computed anew. */
  readonly renewAll = output();
  protected readonly findingTexts = FINDING_TEXTS;
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly active = this.store.selectSignal(catalogueFeature.selectActive);

  protected dropClause(at: number): void {
    const left = this.clauses().filter((_, i) => i !== at);
    this.go.emit({ where: left.length ? JSON.stringify(left) : null });
  }
  protected clauseText(clause: Clause): string {
    return clauseText(clause, this.active().find((candidate) => candidate.writtenName === clause.name)?.caption);
  }
}
