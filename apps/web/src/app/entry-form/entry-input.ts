import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputView, RowView } from '@rule/core/forms';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleDate, RuleOption, RuleRadio, RuleSelect, RuleTip } from '../kit';
import { Count } from '../shared';

/** Suggestions for fields. */
export interface Suggestions {
  /** The user's favourite values, by property. */
  readonly atHand: ReadonlyMap<number, readonly string[]>;
  /** Choices allowed by other inputs; `null` if unrestricted. */
  readonly narrowed: (property: number) => readonly string[] | null;
}

/** For previews. */
export const NO_SUGGESTIONS: Suggestions = { atHand: new Map(), narrowed: () => null };

/** Holder rows shown before folding. */
const MOST_ROWS = 60;

/** A form input with a field per row of holders. */
@Component({
  selector: 'rule-entry-input',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, Count, FormsModule, InputTextModule, RuleCheck, RuleDate, RuleOption, RuleRadio, RuleSelect],
  template: `
    <div class="caption">
      <span [id]="id + '-caption'">{{ view().caption }}</span>
      @if (unit(); as u) {
        <span class="soft">in {{ u }}</span>
      }
      @if (view().required) {
        <span class="must">required</span>
      }
      @if (view().shownFor < view().of) {
        <span class="chip">for {{ view().shownFor }} of {{ view().of }}</span>
      }
      @if (levelText(); as level) {
        <span class="chip brass">{{ level }}</span>
      }
    </div>
    @for (row of rows(); track row.id; let i = $index) {
      <div class="row" [class.touched]="row.typed !== null">
        @if (row.label) {
          <span class="label" [title]="row.label">{{ row.label }}{{ row.id !== '' && row.targets > 1 ? ' ×' + row.targets : '' }}</span>
        }
        <div class="field">
          @switch (look()) {
            @case ('list') {
              <rule-select
                [ariaLabel]="nameOf(row)"
                [invalid]="row.refused"
                [describedBy]="id + '-says'"
                [placeholder]="row.state === 'mixed' ? mixed(row) : ''"
                [disabled]="closed()"
                [ngModel]="row.typed === null && row.state === 'mixed' ? null : valueOf(row)"
                [ngModelOptions]="{ standalone: true }"
                (ngModelChange)="say(row, $event)"
              >
                <rule-option value="" [label]="placeholder() ? '‹' + placeholder() + '›' : '(blank)'" />
                @for (choice of choices(row); track choice) {
                  <rule-option [value]="choice" [label]="choice" />
                }
              </rule-select>
            }
            @case ('option buttons') {
              <div class="options" role="radiogroup" [attr.aria-label]="nameOf(row)">
                @for (choice of choices(row); track choice) {
                  <label class="option" [class.on]="choice === valueOf(row)">
                    <rule-radio [name]="id + '-' + i" [checked]="choice === valueOf(row)" [disabled]="closed()" (choose)="say(row, choice)" />{{ choice }}
                  </label>
                }
              </div>
            }
            @case ('tick') {
              <label class="tick">
                <rule-check
                  [ariaLabel]="nameOf(row)"
                  [checked]="valueOf(row) === yes()"
                  [some]="row.typed === null && row.state === 'mixed'"
                  [disabled]="closed()"
                  (flip)="say(row, $event ? yes() : no())"
                />
                {{ valueOf(row) || (row.state === 'mixed' ? mixed(row) : '(blank)') }}
              </label>
            }
            @case ('long text') {
              <textarea
                rows="3"
                [attr.aria-label]="nameOf(row)"
                [attr.aria-invalid]="row.refused || null"
                [attr.aria-describedby]="id + '-says'"
                [disabled]="closed()"
                [placeholder]="hint(row)"
                [value]="valueOf(row)"
                (input)="say(row, $any($event.target).value)"
              ></textarea>
            }
            @default {
              <input
                pInputText
                [class.num]="isNumber()"
                [attr.aria-label]="nameOf(row)"
                [attr.aria-invalid]="row.refused || null"
                [attr.aria-describedby]="id + '-says'"
                [attr.list]="suggested(row).length ? id + '-list-' + i : null"
                [attr.inputmode]="isNumber() ? 'decimal' : null"
                [disabled]="closed()"
                [placeholder]="hint(row)"
                [value]="valueOf(row)"
                (input)="say(row, $any($event.target).value)"
              />
              @if (suggested(row).length) {
                <datalist [id]="id + '-list-' + i">
                  @for (text of suggested(row); track text) {
                    <option [value]="text"></option>
                  }
                </datalist>
              }
              @if (look() === 'date' && !closed()) {
                <rule-date [label]="'Choose a date for ' + nameOf(row)" [value]="valueOf(row)" (chosen)="say(row, $event)" />
              }
              @if (look() === 'counted' && view().drawable.length && !disabled()) {
                <button type="button" class="link draw" (click)="drawn.emit()">draw the next</button>
              }
            }
          }
          @if (row.typed !== null) {
            <button type="button" class="link back" [attr.aria-label]="'leave ' + nameOf(row) + ' as it is'" ruleTip="Leave it as it is" (click)="take(row)">
              ↺
            </button>
          }
        </div>
        @if (row.typed !== null && row.changes > 0) {
          <small class="good">{{ row.changes | count: 'value changes' : 'values change' }}</small>
        } @else if (row.state === 'mixed' && row.typed === null && look() !== 'list') {
          <small class="soft">{{ spread(row) }}</small>
        }
        @for (text of row.wrong; track text) {
          <small class="bad" [attr.role]="row.refused ? 'alert' : null">{{ view().caption }} {{ text }}.</small>
        }
      </div>
    }
    @if (view().rows.length > rows().length) {
      <button type="button" class="link" (click)="all.set(true)">show all {{ view().rows.length }}</button>
    }
    <div [id]="id + '-says'">
      @if (view().help) {
        <small>{{ view().help }}</small>
      }
      @for (entry of view().closed; track entry.reason) {
        <small class="why"
          >{{ view().shownFor === 1 ? '' : 'For ' + entry.count + ' of ' + view().shownFor + ': ' }}{{ view().caption }} {{ entry.reason }}.</small
        >
      }
      @if (view().missing > 0 && view().shownFor > 1) {
        <small class="warn">missing in {{ view().missing }}</small>
      }
    </div>
    @if (typedText(); as text) {
      @if (!isNumber() && look() !== 'tick' && look() !== 'option buttons' && look() !== 'list') {
        <button type="button" class="link star" (click)="handed.emit({ text, on: !isAtHand(text) })">
          {{ isAtHand(text) ? 'no longer at hand' : 'keep at hand' }}
        </button>
      }
    }
  `,
  styles: `
    :host {
      display: block;
      min-width: 0;
    }
    .caption {
      display: flex;
      flex-wrap: wrap;
      gap: 2px 8px;
      align-items: baseline;
      font:
        600 12.5px 'Barlow Semi Condensed',
        sans-serif;
      margin-bottom: 3px;
    }
    .caption .soft,
    .must {
      font-weight: 500;
      font-size: 12px;
    }
    .must {
      color: var(--ochre);
    }
    .row {
      margin-bottom: 4px;
      display: grid;
      grid-template-columns: minmax(0, 1fr);
    }
    .row:has(.label) {
      grid-template-columns: minmax(0, 150px) minmax(80px, 1fr);
      column-gap: 8px;
      align-items: center;
    }
    .row small {
      grid-column: -2 / -1;
    }
    .label {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      color: var(--soft);
    }
    .field {
      display: flex;
      gap: 6px;
      align-items: center;
      margin: 0;
      min-width: 0;
      position: relative;
    }
    .field rule-select,
    .field textarea,
    .field input:not([type]) {
      flex: 1;
      min-width: 0;
      width: 100%;
    }
    textarea {
      border: 1px solid var(--line);
      border-radius: 4px;
      background: var(--panel);
      padding: 5px 9px;
    }
    .touched .field {
      --p-select-background: var(--brass-tint);
    }
    .touched .field :is(input, textarea) {
      background: var(--brass-tint);
    }
    [aria-invalid='true'] {
      border-color: var(--vermilion);
    }
    .num {
      text-align: right;
    }
    .options {
      display: flex;
      flex-wrap: wrap;
      gap: 4px;
    }
    .option rule-radio {
      margin: 0;
    }
    .option,
    .tick {
      display: inline-flex;
      align-items: center;
      gap: 5px;
      min-height: 30px;
    }
    .option {
      border: 1px solid var(--line);
      border-radius: 4px;
      padding: 0 9px;
    }
    .option.on {
      border-color: var(--verdigris);
      background: var(--verdigris-tint);
    }
    .draw {
      white-space: nowrap;
    }
    small {
      display: block;
      color: var(--faint);
      margin-top: 2px;
    }
    small.bad {
      color: var(--vermilion);
    }
    small.warn {
      color: var(--ochre);
    }
    small.good {
      color: var(--verdigris);
    }
    .why {
      color: var(--soft);
      font-style: italic;
    }
    .star {
      font-size: 12px;
      font-weight: 500;
    }
  `,
})
export class EntryInput {
  readonly view = input.required<InputView>();
  readonly suggestions = input.required<Suggestions>();
  readonly disabled = input(false);
  readonly typed = output<{ row: string; text: string | null }>();
  readonly drawn = output();
  readonly handed = output<{ text: string; on: boolean }>();
  protected readonly all = signal(false);
  protected readonly id = `rule-input-${EntryInput.count++}`;
  private static count = 0;

  protected readonly rows = computed(() => (this.all() ? this.view().rows : this.view().rows.slice(0, MOST_ROWS)));
  protected readonly closed = computed(() => this.disabled() || !this.view().open);
  protected readonly look = computed(() => this.view().input.look);
  protected readonly isNumber = computed(() => this.view().property.type === 'number' || this.view().property.type === 'whole');
  protected readonly unit = computed(() => (this.view().property.type === 'number' ? this.view().property.unit : null));
  protected readonly yes = computed(() => this.view().property.words?.[0] ?? 'yes');
  protected readonly no = computed(() => this.view().property.words?.[1] ?? 'no');
  protected readonly placeholder = computed(() => this.view().property.placeholder);
  protected readonly levelText = computed(() => {
    const { level } = this.view().input;
    return level === 'document' ? null : level === 'variant' && this.view().input.holders === 'document' ? 'all variants' : `of the ${level}`;
  });
  protected readonly typedText = computed(() => this.view().rows.find((row) => row.typed !== null && row.typed !== '' && !row.refused)?.typed ?? null);

  protected nameOf(row: RowView): string {
    return row.label ? `${this.view().caption}, ${row.label}` : this.view().caption;
  }
  protected valueOf(row: RowView): string {
    return row.typed ?? row.text;
  }
  protected mixed(row: RowView): string {
    return `${row.distinct} different values`;
  }
  protected spread(row: RowView): string {
    const said = row.values.map(({ text, count }) => `${text === '' ? 'blank' : text} ×${count}`).join(', ');
    return row.distinct > row.values.length ? `${said} and ${row.distinct - row.values.length} more` : said;
  }
  protected hint(row: RowView): string {
    if (row.state === 'mixed') return this.mixed(row);
    if (row.fallback !== null) return `${row.fallback} (${this.view().input.level === 'occurrence' ? 'of the part' : 'of all variants'})`;
    return this.view().open ? this.placeholder() : '';
  }
  protected choices(row: RowView): readonly string[] {
    const { property } = this.view();
    const list = property.type === 'yesno' ? [this.yes(), this.no()] : (this.suggestions().narrowed(property.id) ?? property.choices);
    const own = this.valueOf(row);
    return own === '' || list.includes(own) ? list : [...list, own];
  }
  protected suggested(row: RowView): readonly string[] {
    const { property } = this.view();
    const atHand = this.suggestions().atHand.get(property.id) ?? [];
    const open = property.type === 'choice' ? property.choices : [];
    const standing = row.values.filter(({ text }) => text !== '').map(({ text }) => text);
    return [...new Set([...atHand, ...open, ...(row.state === 'mixed' ? standing : [])])].slice(0, 100);
  }
  protected isAtHand(text: string): boolean {
    return (this.suggestions().atHand.get(this.view().property.id) ?? []).includes(text);
  }
  protected say(row: RowView, text: string): void {
    this.typed.emit({ row: row.id, text });
  }
  protected take(row: RowView): void {
    this.typed.emit({ row: row.id, text: null });
  }
}
