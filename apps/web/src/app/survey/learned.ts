import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal, untracked } from '@angular/core';
import { Learned, LearnedName } from '@rule/contract';
import { Binding, Property, sameDefinition } from '@rule/core/schema';
import { CleanUp } from '@rule/core/survey';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { RuleWaiting } from '../kit';
import { Count, ExactName, FileLink, sessionFeature } from '../shared';
import { LearnedStore } from './learned.store';

type Cell = Learned['cells'][number];

/** Suggestions learned from the library: bindings and meanings of foreign names. */
@Component({
  selector: 'rule-learned',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [LearnedStore],
  imports: [RuleWaiting, Count, ExactName, FileLink],
  template: `
    @if (suggestions.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else if (suggestions.learned(); as l) {
      <section class="card">
        <h2>What title block cells show</h2>
        <table class="list">
          <thead>
            <tr>
              <th>Block</th>
              <th>Cell</th>
              <th>Property</th>
              <th>From</th>
              <th>Written</th>
              <th>Evidence</th>
              <th>Exceptions</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            @for (cell of l.cells; track cell.block + cell.tag) {
              <tr>
                <td>{{ cell.block }}</td>
                <td class="mono">{{ cell.tag }}</td>
                <td>{{ caption(cell.propertyId) }}</td>
                <td>the {{ cell.source }}</td>
                <td>{{ written(cell) }}</td>
                <td>
                  {{ cell.agree }} of {{ cell.compared }} drawings, {{ cell.texts | count: 'different text' }}
                  @if (cell.texts === 1) {
                    <span class="warn">a single text proves little</span>
                  }
                </td>
                <td>
                  @if (cell.exceptionCount) {
                    <button type="button" class="link" [attr.aria-expanded]="open() === cell" (click)="open.set(open() === cell ? null : cell)">
                      {{ counts(cell) }}
                    </button>
                  }
                </td>
                <td style="white-space: nowrap">
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
                </td>
              </tr>
              @if (open() === cell) {
                @for (entry of cell.exceptions; track $index) {
                  <tr>
                    <td></td>
                    <td colspan="3"><rule-file [id]="entry.file" [path]="entry.path" /></td>
                    <td class="warn">{{ entry.reason }}</td>
                    <td colspan="3">
                      shows <span class="mono">{{ entry.text || 'nothing' }}</span>, would show <span class="mono">{{ entry.wanted || 'nothing' }}</span>
                    </td>
                  </tr>
                }
              }
            } @empty {
              <tr>
                <td colspan="8" class="soft">No cell shows the same property on most drawings.</td>
              </tr>
            }
          </tbody>
        </table>
      </section>
      <section class="card">
        <h2>What foreign names mean</h2>
        <table class="list">
          <thead>
            <tr>
              <th>Found</th>
              <th class="num">Files</th>
              <th>Probably</th>
              <th>Evidence</th>
              <th>Exceptions</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            @for (row of l.names; track row.name + row.property) {
              <tr>
                <td><rule-exact-name [name]="row.name" /></td>
                <td class="num">{{ row.files }}</td>
                <td>{{ caption(row.property) }}</td>
                <td>{{ evidence(row) }}</td>
                <td>
                  @if (row.both > row.equal) {
                    <button type="button" class="link" [attr.aria-expanded]="openName() === row" (click)="openName.set(openName() === row ? null : row)">
                      {{ row.both - row.equal }} say otherwise
                    </button>
                  }
                </td>
                <td>
                  @if (mayEdit()) {
                    <button type="button" class="link" [attr.aria-label]="'Into a mapping: ' + row.name" (click)="map.emit(row)">Into a mapping</button>&ngsp;
                    <button type="button" class="link" [attr.aria-label]="'Move …: ' + row.name" (click)="move(row)">Move …</button>
                  }
                </td>
              </tr>
              @if (openName() === row) {
                @for (entry of row.exceptions; track entry.file) {
                  <tr>
                    <td></td>
                    <td colspan="3"><rule-file [id]="entry.file" [path]="entry.path" /></td>
                    <td colspan="2">
                      theirs <span class="mono">{{ entry.theirs }}</span>, ours <span class="mono">{{ entry.ours }}</span>
                    </td>
                  </tr>
                }
              }
            } @empty {
              <tr>
                <td colspan="6" class="soft">No foreign name resembles a property, by wording or by values.</td>
              </tr>
            }
          </tbody>
        </table>
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
