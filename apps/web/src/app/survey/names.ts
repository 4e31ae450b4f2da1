import { ChangeDetectionStrategy, Component, computed, input, model, output } from '@angular/core';
import { KINDS } from '@rule/core/schema';
import { RuleCheck, RuleColumn, RuleTable } from '../kit';
import { ExactName } from '../shared';
import { NameRow } from './survey.store';

/** All written names: sortable, selectable, with details in the inspector. */
@Component({
  selector: 'rule-found-names',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, ExactName, RuleCheck],
  template: `
    <rule-table
      class="card"
      label="Written names"
      [rows]="shown()"
      key="name"
      virtual
      height="62vh"
      order="Written name"
      picks
      [chosen]="selected()"
      [empty]="none()"
      (pick)="selected.set($event.name)"
      (keyed)="typed($event)"
    >
      <ng-container *ruleColumn="let row of shown(); said: 'Chosen'; width: '32px'; look: 'box'">
        <rule-check
          tabindex="-1"
          [ariaLabel]="'Choose ' + row.name"
          [checked]="ticked().has(row.name)"
          (click)="$event.stopPropagation()"
          (flip)="toggle(row.name)"
        />
      </ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'Written name'; by: 'name'; tip: 'name'; width: 'minmax(112px, 1.6fr)'">
        <rule-exact-name [name]="row.name" />
      </ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'Schema'; by: said; tip: said; width: 'minmax(70px, 0.8fr)'">
        <span [class]="row.status === 'known' ? 'good' : row.status === 'alike' ? 'bad' : 'warn'">{{ said(row) }}</span>
      </ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'In'; by: where; tip: where; width: '52px'">
        {{ marks(row) }}
      </ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'Looks like'; by: looks; tip: looks; width: 'minmax(70px, 0.9fr)'">
        {{ looks(row) }}
      </ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'Files'; by: 'files'; num: true; width: '42px'">{{ row.files }}</ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'Filled'; by: 'filled'; num: true; width: '46px'">{{ row.filled }}</ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'Empty'; by: 'empty'; num: true; width: '48px'">{{ row.empty || '' }}</ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'Stand-ins'; by: 'standIns'; num: true; width: '66px'"
        ><span [class.warn]="row.standIns">{{ row.standIns || '' }}</span></ng-container
      >
      <ng-container *ruleColumn="let row of shown(); name: 'Values'; by: 'distinct'; num: true; width: '48px'">{{ row.distinct }}</ng-container>
      <ng-container *ruleColumn="let row of shown(); name: 'For example'; by: examples; tip: examples; look: 'soft'; width: 'minmax(70px, 1.2fr)'">
        {{ examples(row) }}
      </ng-container>
    </rule-table>
  `,
})
export class FoundNames {
  readonly rows = input.required<readonly NameRow[]>();
  readonly none = input('No names match.');
  readonly selected = model<string | null>(null);
  readonly ticked = input.required<ReadonlySet<string>>();
  readonly tick = output<ReadonlySet<string>>();
  /** Filters names containing it. */
  readonly text = input('');

  protected readonly shown = computed(() => {
    const wanted = this.text().trim().toLowerCase();
    return this.rows().filter((row) => row.name.toLowerCase().includes(wanted));
  });

  protected readonly said = (row: NameRow): string =>
    row.status === 'alike' ? `nearly ${row.property!.writtenName}` : row.status === 'stray' ? 'not in it' : row.status;
  /** Kinds by initial: part, assembly, drawing, other. */
  protected marks(row: NameRow): string {
    return KINDS.filter((kind) => row.kinds.includes(kind))
      .map((kind) => kind[0]!.toUpperCase())
      .join(' ');
  }
  protected readonly where = (row: NameRow): string =>
    `${row.kinds.join(', ')}; at the ${row.levels.length === 1 ? 'level' : 'levels'} ${row.levels.join(', ')}`;
  protected readonly looks = (row: NameRow): string =>
    `${row.guess.type === 'yesno' ? 'yes/no' : row.guess.type === 'whole' ? 'whole number' : row.guess.type}${row.guess.unit ? `, ${row.guess.unit}` : ''}`;
  protected readonly examples = (row: NameRow): string => row.examples.join(' · ');
  protected typed({ event, row }: { readonly event: KeyboardEvent; readonly row: NameRow }): void {
    if (event.key !== ' ') return;
    event.preventDefault();
    this.toggle(row.name);
  }
  protected toggle(name: string): void {
    const next = new Set(this.ticked());
    if (!next.delete(name)) next.add(name);
    this.tick.emit(next);
  }
}
