import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { LineRow } from '@rule/contract';
import { ExactName } from './exact-name';

/** Location of a line's value: exact name and holder. */
@Component({
  selector: 'rule-line-place',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExactName],
  template: `
    @if (line().place === 'anchor') {
      text at {{ line().name }}
    } @else {
      <rule-exact-name [name]="line().name" />
    }
    @if (line().holder) {
      <small>{{ levels[line().holderLevel ?? ''] ?? 'holder' }} {{ line().holderLabel ?? line().holder }}</small>
    }
    @if (line().place === 'cell') {
      <small>cell</small>
    } @else if (line().place === 'field') {
      <small>file field</small>
    }
  `,
  styles: `
    small {
      color: var(--soft);
      margin-left: 6px;
    }
  `,
})
export class LinePlace {
  readonly line = input.required<Pick<LineRow, 'name' | 'holder' | 'holderLevel' | 'holderLabel' | 'place'>>();
  protected readonly levels: Readonly<Record<string, string>> = { occurrence: 'placed part', body: 'body', variant: 'variant', sheet: 'sheet', copy: 'copy' };
}
