import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';

/** An index row with a count or mark. */
@Component({
  selector: 'rule-index-row',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<button
    type="button"
    class="plain"
    [class.on]="on()"
    [attr.aria-current]="on() ? 'true' : null"
    (click)="choose.emit()"
    [style.padding-left.px]="18 + 12 * depth()"
    [title]="text()"
  >
    <span class="text"
      ><ng-content>{{ text() }}</ng-content></span
    ><span class="end" [class]="tone()">{{ end() }}</span>
  </button>`,
  styles: `
    button {
      display: flex;
      width: 100%;
      justify-content: space-between;
      gap: 8px;
      align-items: center;
      padding: 5px 18px;
      min-height: 28px;
    }
    button:hover {
      background: color-mix(in srgb, var(--panel) 60%, transparent);
    }
    .on {
      background: var(--panel);
      box-shadow: inset 3px 0 var(--brass);
    }
    .text {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .end {
      color: var(--soft);
      font:
        500 12px 'Barlow Semi Condensed',
        sans-serif;
      white-space: nowrap;
    }
    .end.bad {
      color: var(--vermilion);
    }
    .end.warn {
      color: var(--ochre);
    }
  `,
})
export class IndexRow {
  readonly text = input('');
  readonly end = input<string | number>('');
  readonly tone = input('');
  readonly on = input(false);
  readonly depth = input(0);
  readonly choose = output();
}
