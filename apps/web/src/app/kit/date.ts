import { ChangeDetectionStrategy, Component, booleanAttribute, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { isIsoDate } from '@rule/core/values';
import { DatePicker } from 'primeng/datepicker';
import { CalendarIcon } from 'primeng/icons/calendar';
import { Popover } from 'primeng/popover';

/** The day of a date as the calendar takes it, at midnight of this place; `null` for years below 100, which it takes for those of the last century. */
function dayOf(iso: string): Date | null {
  const [year = 0, month = 1, day = 1] = iso.split('-').map(Number);
  return year < 100 ? null : new Date(year, month - 1, day);
}

const two = (n: number): string => `${n}`.padStart(2, '0');

/** The kit's calendar behind a button, beside a field in which a date can be typed in its own form. */
@Component({
  selector: 'rule-date',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CalendarIcon, DatePicker, FormsModule, Popover],
  template: `
    <button
      #opener
      type="button"
      aria-haspopup="dialog"
      [attr.aria-label]="label()"
      [attr.aria-expanded]="open()"
      [disabled]="disabled()"
      (click)="panel.toggle($event)"
    >
      <svg data-p-icon="calendar" aria-hidden="true"></svg>
    </button>
    <p-popover #panel appendTo="body" [ariaLabel]="label()" (onShow)="open.set(true)" (onHide)="closed(opener)">
      <p-datepicker inline [firstDayOfWeek]="1" [ngModel]="day()" (onSelect)="choose($event); panel.hide()" />
    </p-popover>
  `,
  styles: `
    :host {
      display: inline-flex;
    }
    button {
      width: 30px;
      height: 30px;
      display: grid;
      place-items: center;
      border: 1px solid var(--line);
      border-radius: 4px;
      background: var(--panel);
      color: var(--soft);
      cursor: pointer;
    }
    button:disabled {
      opacity: 0.5;
      cursor: default;
    }
  `,
})
export class RuleDate {
  /** What its button is called. */
  readonly label = input.required<string>();
  /** The date as YYYY-MM-DD; anything else opens the calendar at today. */
  readonly value = input('');
  readonly disabled = input(false, { transform: booleanAttribute });
  /** The chosen day as YYYY-MM-DD. */
  readonly chosen = output<string>();
  protected readonly open = signal(false);
  protected readonly day = computed(() => (isIsoDate(this.value()) ? dayOf(this.value()) : null));

  /** Leads the keyboard back, unless it went elsewhere already. */
  protected closed(opener: HTMLElement): void {
    this.open.set(false);
    const { activeElement } = document;
    if (activeElement === null || activeElement === document.body || activeElement.closest('.p-popover')) opener.focus();
  }
  protected choose(day: Date): void {
    this.chosen.emit(`${`${day.getFullYear()}`.padStart(4, '0')}-${two(day.getMonth() + 1)}-${two(day.getDate())}`);
  }
}
