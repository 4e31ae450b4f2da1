import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ValueSetRow } from '@rule/contract';
import { FillView, editKey } from '@rule/core/forms';
import { count } from '@rule/core/words';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck } from '../../kit';
import { Count, Notices } from '../../shared';
import { FillStore } from './fill.store';

/** Values saved under a name: filled in, saved and removed. */
@Component({
  selector: 'rule-saved-values',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, Count, FormsModule, InputTextModule, RuleCheck],
  template: `
    <section class="card side" aria-label="Saved values">
      @for (set of store.sets(); track set.id) {
        <p class="one">
          <button type="button" class="link" (click)="use(set)">{{ set.name }}</button>
          <span class="soft">{{ set.values.length | count: 'value' }}{{ set.mine ? '' : ', by ' + set.by }}</span>
          @if (set.mine) {
            <button type="button" class="link" [attr.aria-label]="'Remove the saved values ' + set.name" (click)="store.removeSet(set)">Remove</button>
          }
        </p>
      } @empty {
        <p class="soft">No saved values yet. Enter values and save them here under a name.</p>
      }
      @if (savable().length) {
        <div class="keep">
          <input pInputText aria-label="Name for the saved values" placeholder="name" [ngModel]="name()" (ngModelChange)="name.set($event)" />
          <label><rule-check [checked]="shared()" (flip)="shared.set($event)" /> for everyone</label>
          <p-button [label]="'Save ' + (savable().length | count: 'entered value')" [disabled]="!name().trim()" (onClick)="save()" />
        </div>
      }
    </section>
  `,
  styleUrl: './side.css',
})
export class SavedValues {
  readonly view = input.required<FillView | null>();
  /** Entries that can be saved, by property. */
  readonly savable = input.required<readonly { readonly property: number; readonly text: string }[]>();
  /** Entries to fill in, by their keys. */
  readonly used = output<readonly (readonly [key: string, text: string])[]>();
  protected readonly store = inject(FillStore);
  private readonly notices = inject(Notices);
  protected readonly name = signal('');
  protected readonly shared = signal(false);

  constructor() {
    this.store.loadSets();
  }

  protected use({ values }: ValueSetRow): void {
    const wanted = new Map(values.map((value) => [value.property, value.text]));
    const entries = (this.view()?.panels ?? []).flatMap((panel) =>
      panel.inputs.flatMap((entry) => {
        const text = wanted.get(entry.property.id);
        return text === undefined || !entry.open ? [] : [[editKey(panel.section, entry.input.key, ''), text] as const];
      }),
    );
    this.used.emit(entries);
    const rest = values.length - entries.length;
    if (rest > 0) this.notices.done(`${count(rest, 'value has', 'values have')} no open input here.`);
  }

  protected save(): void {
    this.store.saveSet({ name: this.name().trim(), shared: this.shared(), values: this.savable() }, () => this.name.set(''));
  }
}
