import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { SeriesRow } from '@rule/contract';
import { SeriesDraft, SeriesPart, checkSeries, countText, newSeries } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { sessionFeature, showInstant, workingCopy } from '../shared';
import { SchemaStore } from './schema.store';
import { SeriesStore } from './series.store';

const draftOfRow = ({ name, parts, counts, digits, start, step, leftOut, per }: SeriesRow): SeriesDraft => ({
  name,
  parts,
  counts,
  digits,
  start,
  step,
  leftOut,
  per,
});

/** Number series: format and issued numbers. */
@Component({
  selector: 'rule-number-series',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [SeriesStore],
  imports: [RuleColumn, RuleTable, RuleOption, RuleSelect, ButtonModule, FormsModule, InputTextModule],
  template: `
    @let d = draft();
    <div class="head">
      <div>
        <h1>{{ chosen()?.name ?? (id() === 'new' ? 'New number series' : 'Number series') }}</h1>
        <p class="soft">
          @if (chosen(); as row) {
            {{ row.usedBy.length ? 'Counts ' + row.usedBy.join(', ') : 'Counts for no property yet' }}.
          } @else {
            Generates unique numbers, or the next revision of each file.
          }
        </p>
      </div>
      @if (mayAdminister()) {
        <div class="actions">
          <p-button severity="secondary" label="New series" (onClick)="picked.emit('new')" />
          @if (d) {
            @if (chosen(); as row) {
              <p-button severity="secondary" label="Remove" (onClick)="remove(row)" />
            }
            <p-button label="Save" [disabled]="!changed() || problems().length > 0" (onClick)="save()" />
          }
        </div>
      }
    </div>
    @if (d) {
      <section class="card" aria-label="Series">
        <label class="field name"
          ><span>Name</span><input pInputText [disabled]="!mayAdminister()" [ngModel]="d.name" (ngModelChange)="edit({ name: $event })"
        /></label>
        <h3>A number is made of</h3>
        <ol class="parts">
          @for (part of d.parts; track $index; let i = $index) {
            <li>
              @switch (part.type) {
                @case ('text') {
                  <label
                    >text
                    <input
                      pInputText
                      class="mono"
                      [disabled]="!mayAdminister()"
                      [attr.aria-label]="'Text of part ' + (i + 1)"
                      [ngModel]="part.text"
                      (ngModelChange)="setPart(i, { type: 'text', text: $event })"
                  /></label>
                }
                @case ('value') {
                  <label
                    >the value of
                    <rule-select
                      [disabled]="!mayAdminister()"
                      [ariaLabel]="'Property of part ' + (i + 1)"
                      [ngModel]="part.property"
                      (ngModelChange)="setPart(i, { type: 'value', property: $event })"
                    >
                      @for (property of store.properties(); track property.id) {
                        <rule-option [value]="property.writtenName" label="{{ property.caption }}" />
                      }</rule-select
                  ></label>
                }
                @case ('count') {
                  <span>the count</span>
                }
              }
              @if (part.type !== 'count') {
                <button type="button" class="link" [disabled]="!mayAdminister()" [attr.aria-label]="'Remove part ' + (i + 1)" (click)="dropPart(i)">
                  remove
                </button>
              }
              @if (i > 0) {
                <button type="button" class="link" [disabled]="!mayAdminister()" [attr.aria-label]="'Move up part ' + (i + 1)" (click)="movePart(i)">
                  move up
                </button>
              }
            </li>
          }
        </ol>
        <p>
          <button type="button" class="link" [disabled]="!mayAdminister()" (click)="addPart({ type: 'text', text: '-' })">Add a text</button>
          <button
            type="button"
            class="link"
            [disabled]="!mayAdminister()"
            (click)="addPart({ type: 'value', property: store.properties()[0]?.writtenName ?? '' })"
          >
            Add the value of a property
          </button>
        </p>
        <div class="four">
          <label class="field">
            <span>Counts by</span>
            <rule-select [disabled]="!mayAdminister()" [ngModel]="d.counts" (ngModelChange)="edit({ counts: $event })">
              <rule-option value="numbers" label="numbers" />
              <rule-option value="letters" label="letters" />
            </rule-select>
          </label>
          @if (d.counts === 'numbers') {
            <label class="field"
              ><span>Digits</span
              ><input pInputText type="number" min="1" max="12" [disabled]="!mayAdminister()" [ngModel]="d.digits" (ngModelChange)="edit({ digits: $event })"
            /></label>
          } @else {
            <label class="field"
              ><span>Letters left out</span
              ><input pInputText class="mono" [disabled]="!mayAdminister()" [ngModel]="d.leftOut" (ngModelChange)="edit({ leftOut: $event.toUpperCase() })"
            /></label>
          }
          <label class="field"
            ><span>Starts at</span
            ><input pInputText type="number" min="0" [disabled]="!mayAdminister()" [ngModel]="d.start" (ngModelChange)="edit({ start: $event })"
          /></label>
          <label class="field"
            ><span>Step</span><input pInputText type="number" min="1" [disabled]="!mayAdminister()" [ngModel]="d.step" (ngModelChange)="edit({ step: $event })"
          /></label>
        </div>
        <label class="field"
          ><span>A number is unique</span
          ><rule-select [disabled]="!mayAdminister()" [ngModel]="d.per" (ngModelChange)="edit({ per: $event })">
            <rule-option value="library" label="once in the library" />
            <rule-option value="file" label="per file, counting on: a revision" /> </rule-select
        ></label>
        <p>
          For instance <b class="mono">{{ sample() }}</b>
        </p>
        @for (problem of problems(); track $index) {
          <p class="bad" role="alert">{{ problem }}</p>
        }
      </section>
      @if (chosen(); as row) {
        @if (row.per === 'file') {
          <p class="note">Each file counts on from its current value. Assign the next revision where files are filled in.</p>
        } @else {
          <section class="card" aria-labelledby="handed">
            <h2 id="handed">Handed out</h2>
            @if (mayDraw()) {
              <div class="row">
                <label
                  >for <input pInputText placeholder="what it is for" aria-label="What the number is for" [ngModel]="note()" (ngModelChange)="note.set($event)"
                /></label>
                <p-button severity="secondary" label="Reserve the next number" [disabled]="changed()" (onClick)="draw(row)" />
              </div>
            }
            @for (counter of row.counters; track counter.frame) {
              <p class="soft">
                {{ counter.frame }}: next is <b class="mono">{{ counter.next }}</b>
              </p>
            }
            <rule-table label="Numbers" [rows]="row.numbers" key="id" empty="Nothing yet.">
              <ng-container *ruleColumn="let number of row.numbers; name: 'Number'; look: 'mono'; by: 'text'">{{ number.text }}</ng-container>
              <ng-container *ruleColumn="let number of row.numbers; name: 'State'; by: 'state'">{{ number.state }}</ng-container>
              <ng-container *ruleColumn="let number of row.numbers; name: 'By'; by: 'by'">{{ number.by }}</ng-container>
              <ng-container *ruleColumn="let number of row.numbers; name: 'At'">{{ when(number.at) }}</ng-container>
              <ng-container *ruleColumn="let number of row.numbers; name: 'For'; by: 'note'">{{ number.note }}</ng-container>
              <ng-container *ruleColumn="let number of row.numbers; said: 'Actions'">
                @if (number.state === 'reserved' && mayDraw()) {
                  <button type="button" class="link" [attr.aria-label]="'release ' + number.text" (click)="series.release(number.id)">release</button>
                }
              </ng-container>
            </rule-table>
          </section>
        }
      }
    } @else {
      <p class="note">A series counts in numbers or letters, with texts and property values around the counter. Select a series or create one.</p>
    }
  `,
  styles: `
    section.card {
      padding: 14px 18px;
      margin-bottom: 14px;
    }
    .name input {
      width: 320px;
    }
    .parts {
      margin: 0;
      padding-left: 20px;
    }
    .parts li {
      padding: 3px 0;
    }
    p .link {
      margin-right: 14px;
    }
    .parts .link {
      margin-left: 10px;
    }
    .four {
      display: grid;
      grid-template-columns: repeat(4, minmax(0, 1fr));
      gap: 0 16px;
    }
    .field input {
      width: 100%;
    }
    .row {
      display: flex;
      gap: 12px;
      align-items: center;
      margin-bottom: 8px;
    }
  `,
})
export class NumberSeriesView {
  protected readonly store = inject(SchemaStore);
  protected readonly series = inject(SeriesStore);
  readonly id = input<string>();
  readonly picked = output<string>();
  private readonly global = inject(Store);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly mayDraw = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly chosen = computed(() => this.store.series().find((series) => String(series.id) === this.id()) ?? null);
  private readonly work = workingCopy<SeriesDraft | null>(
    () => {
      const row = this.chosen();
      return { key: this.id(), value: this.id() === 'new' ? newSeries('') : row && draftOfRow(row) };
    },
    (draft) => `the number series ${draft?.name || 'without a name'}`,
  );
  protected readonly draft = this.work.value;
  protected readonly note = signal('');
  protected readonly problems = computed(() => {
    const draft = this.draft();
    return draft ? checkSeries(draft) : [];
  });
  protected readonly changed = this.work.changed;
  protected readonly sample = computed(() => {
    const draft = this.draft();
    if (!draft || checkSeries({ ...draft, name: 'x' }).length) return '';
    return draft.parts
      .map((part) => (part.type === 'text' ? part.text : part.type === 'value' ? `‹${part.property}›` : countText(draft, draft.start)))
      .join('');
  });
  protected readonly when = showInstant;

  protected edit(change: Partial<SeriesDraft>): void {
    this.work.update((draft) => draft && { ...draft, ...change });
  }
  protected setPart(at: number, part: SeriesPart): void {
    this.edit({ parts: this.draft()!.parts.map((old, i) => (i === at ? part : old)) });
  }
  protected addPart(part: SeriesPart): void {
    this.edit({ parts: [...this.draft()!.parts, part] });
  }
  protected dropPart(at: number): void {
    this.edit({ parts: this.draft()!.parts.filter((_, i) => i !== at) });
  }
  protected movePart(at: number): void {
    const parts = [...this.draft()!.parts];
    parts.splice(at - 1, 0, ...parts.splice(at, 1));
    this.edit({ parts });
  }
  protected save(): void {
    this.series.save(this.chosen()?.id ?? null, this.draft()!, ({ id }) => {
      this.work.saved();
      this.picked.emit(String(id));
    });
  }
  protected remove({ id }: SeriesRow): void {
    this.series.remove(id, () => {
      this.work.saved();
      this.picked.emit('');
    });
  }
  protected draw({ id }: SeriesRow): void {
    this.series.draw(id, this.note(), () => this.note.set(''));
  }
}
