import { Directive, inject, input } from '@angular/core';
import { Tooltip } from 'primeng/tooltip';

/** Before a tip appears, in milliseconds: pointers that pass by show none. */
const DELAY_MS = 400;

/** What a control does or means, shown when the pointer rests on it or the keyboard reaches it, and told to those who hear the page. */
@Directive({
  selector: '[ruleTip]',
  hostDirectives: [{ directive: Tooltip, inputs: ['pTooltip: ruleTip'] }],
  host: { '[attr.aria-description]': 'ruleTip() || null' },
})
export class RuleTip {
  readonly ruleTip = input<string | null | undefined>('');

  constructor() {
    inject(Tooltip).setOption({ tooltipEvent: 'both', tooltipPosition: 'bottom', showDelay: DELAY_MS });
  }
}
