import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal, untracked } from '@angular/core';
import { Learned, LearnedName } from '@rule/contract';
import { Binding, Property, sameDefinition } from '@rule/core/schema';
import { CleanUp } from '@rule/core/survey';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { RuleColumn, RuleDetail, RuleTable, RuleWaiting } from '../kit';
import { Count, ExactName, FileLink, sessionFeature } from '../shared';
import { LearnedStore } from './learned.store';

type Cell = Learned['cells'][number];

/** Suggestions learned from the library: bindings and meanings of foreign names. */
@Component({
  selector: 'rule-learned',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [LearnedStore],
  imports: [RuleColumn, RuleDetail, RuleTable, RuleWaiting, Count, ExactName, FileLink],
  template: `
    @if (suggestions.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else if (suggestions.learned(); as l) {
      <section class="card">
        <h2>What title block cells show</h2>
        <rule-table label="Cells" [rows]="l.cells" empty="No cell shows the same property on most drawings.">
          <ng-container *ruleColumn="let cell of l.cells; name: 'Block'; by: 'block'">
            {{ cell.block }}
          </ng-container>
          <ng-container *ruleColumn="let cell of l.cells; name: 'Cell'; look: 'mono'; by: 'tag'">
            {{ cell.tag }}
          </ng-container>
          <ng-container *ruleColumn="let cell of l.cells; name: 'Property'">
            {{ caption(cell.propertyId) }}
          </ng-container>
          <ng-container *ruleColumn="let cell of l.cells; name: 'From'; by: 'source'"> the {{ cell.source }} </ng-container>
          <ng-container *ruleColumn="let cell of l.cells; name: 'Written'">
            {{ written(cell) }}
          </ng-container>
          <ng-container *ruleColumn="let cell of l.cells; name: 'Evidence'; by: 'compared'">
            {{ cell.agree }} of {{ cell.compared }} drawings, {{ cell.texts | count: 'different text' }}
            @if (cell.texts === 1) {
              <span class="warn">a single text proves little</span>
            }
          </ng-container>
          <ng-container *ruleColumn="let cell of l.cells; name: 'Exceptions'; by: 'exceptionCount'">
            @if (cell.exceptionCount) {
              <button type="button" class="link" [attr.aria-expanded]="open() === cell" (click)="open.set(open() === cell ? null : cell)">
                {{ counts(cell) }}
              </button>
            }
          </ng-container>
          <ng-container *ruleColumn="let cell of l.cells; said: 'Actions'; look: 'nowrap'">
            @if (isBound(cell)) {
              <span class="good">in force</span>
            } @else if (isDrafted(cell)) {
              <span>in the draft</span>
            } @else if (mayAdminister()) {
              <button
                type="button"
                class="link"
                [attr.aria-label]="(cell.bound ? 'Bind so instead: ' : 'Bind so: ') + cell.tag + ' to ' + caption(cell.propertyId)"
                (click)="bind(cell)"
              >
                {{ cell.bound ? 'Bind so instead' : 'Bind so' }}
              </button>
            }
          </ng-container>
          <ng-container *ruleDetail="let cell of l.cells; open: isOpen">
            <rule-table label="Exceptions" [rows]="cell.exceptions">
              <ng-container *ruleColumn="let entry of cell.exceptions"><rule-file [id]="entry.file" [path]="entry.path" /></ng-container>
              <ng-container *ruleColumn="let entry of cell.exceptions; look: 'warn'">{{ entry.reason }}</ng-container>
              <ng-container *ruleColumn="let entry of cell.exceptions">
                shows <span class="mono">{{ entry.text || 'nothing' }}</span>, would show <span class="mono">{{ entry.wanted || 'nothing' }}</span>
              </ng-container>
            </rule-table>
          </ng-container>
        </rule-table>
      </section>
      <section class="card">
        <h2>What foreign names mean</h2>
        <rule-table label="Foreign names" [rows]="l.names" empty="No foreign name resembles a property, by wording or by values.">
          <ng-container *ruleColumn="let row of l.names; name: 'Found'; by: 'name'">
            <rule-exact-name [name]="row.name" />
          </ng-container>
          <ng-container *ruleColumn="let row of l.names; name: 'Files'; num: true; by: 'files'">
            {{ row.files }}
          </ng-container>
          <ng-container *ruleColumn="let row of l.names; name: 'Probably'">
            {{ caption(row.property) }}
          </ng-container>
          <ng-container *ruleColumn="let row of l.names; name: 'Evidence'">
            {{ evidence(row) }}
          </ng-container>
          <ng-container *ruleColumn="let row of l.names; name: 'Exceptions'">
            @if (row.both > row.equal) {
              <button type="button" class="link" [attr.aria-expanded]="openName() === row" (click)="openName.set(openName() === row ? null : row)">
                {{ row.both - row.equal }} say otherwise
              </button>
            }
          </ng-container>
          <ng-container *ruleColumn="let row of l.names; said: 'Actions'">
            @if (mayEdit()) {
              <button type="button" class="link" [attr.aria-label]="'Into a mapping: ' + row.name" (click)="map.emit(row)">Into a mapping</button>&ngsp;
              <button type="button" class="link" [attr.aria-label]="'Move …: ' + row.name" (click)="move(row)">Move …</button>
            }
          </ng-container>
          <ng-container *ruleDetail="let row of l.names; open: isOpenName">
            <rule-table label="Exceptions" [rows]="row.exceptions" key="file">
              <ng-container *ruleColumn="let entry of row.exceptions"><rule-file [id]="entry.file" [path]="entry.path" /></ng-container>
              <ng-container *ruleColumn="let entry of row.exceptions">
                theirs <span class="mono">{{ entry.theirs }}</span>, ours <span class="mono">{{ entry.ours }}</span>
              </ng-container>
            </rule-table>
          </ng-container>
        </rule-table>
      </section>
    } @else {
      <rule-waiting />
    }
  `,
})
export class LearnedMappings {
  protected readonly suggestions = inject(LearnedStore);
  private readonly store = inject(Store);
  readonly properties = input.required<Readonly<Record<number, Property | undefined>>>();
  readonly turn = input(0);
  readonly act = output<CleanUp>();
  readonly map = output<LearnedName>();
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly open = signal<Cell | null>(null);
  protected readonly isOpen = (cell: Cell): boolean => this.open() === cell;
  protected readonly isOpenName = (row: LearnedName): boolean => this.openName() === row;
  protected readonly openName = signal<LearnedName | null>(null);

  constructor() {
    effect(() => {
      this.turn();
      untracked(() => this.suggestions.load());
    });
  }

  protected caption(property: number): string {
    return this.properties()[property]?.caption ?? '';
  }
  protected counts(cell: Cell): string {
    const reasons = ['stale', 'retyped', 'blank'] as const;
    const counted = reasons.map((reason) => ({ reason, n: cell.exceptions.filter((entry) => entry.reason === reason).length })).filter(({ n }) => n > 0);
    return cell.exceptionCount > cell.exceptions.length ? `${cell.exceptionCount} exceptions` : counted.map(({ reason, n }) => `${n} ${reason}`).join(', ');
  }
  private shows({ propertyId, source, form }: Cell): Binding['shows'] {
    return [{ property: propertyId, from: source, form }];
  }
  protected isBound(cell: Cell): boolean {
    return sameDefinition(cell.bound?.shows, this.shows(cell));
  }
  protected isDrafted(cell: Cell): boolean {
    return sameDefinition(cell.drafted?.shows, this.shows(cell));
  }
  protected written({ form }: Cell): string {
    return form.unit ? 'with its unit' : form.letters;
  }
  protected bind(cell: Cell): void {
    this.suggestions.bind(cell, this.shows(cell), this.caption(cell.propertyId));
  }
  protected evidence(row: LearnedName): string {
    return [
      row.reasons.length ? `the names: ${row.reasons.join(', ')}` : '',
      row.shared ? `${row.shared} of ${row.distinct} values are under both names` : '',
      row.both ? `both in ${count(row.both, 'file')}, the same in ${row.equal}` : '',
    ]
      .filter((text) => text !== '')
      .join('; ');
  }
  protected move(row: LearnedName): void {
    this.act.emit({ do: 'merge', names: [row.name], to: this.properties()[row.property]!.writtenName, clash: 'keep the filled one' });
  }
}
