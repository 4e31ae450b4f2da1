import { ChangeDetectionStrategy, Component, DestroyRef, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileRow } from '@rule/contract';
import { FillView, InputView, editKey } from '@rule/core/forms';
import { slotOf } from '@rule/core/schema';
import { HeldValue, editText, readHeld } from '@rule/core/values';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck } from '../../kit';
import { Count } from '../../shared';
import { FillStore } from './fill.store';

/** A value as editable text. */
function editable(held: HeldValue | null, { property }: InputView): string {
  if (held === null || held.text === '') return '';
  const parsed = readHeld(held, property);
  return parsed.ok ? editText(parsed.value, property) : held.text;
}

/** Copies values of another file into the inputs of the sheet. */
@Component({
  selector: 'rule-copy-from',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, Count, FormsModule, InputTextModule, RuleCheck],
  template: `
    <section class="card side" aria-label="Copy from a file">
      <label class="field">
        <span>File to copy from</span>
        <input pInputText placeholder="part of its path or of a value" [ngModel]="find()" (ngModelChange)="searched($event)" />
      </label>
      @for (file of store.found(); track file.id) {
        <button type="button" class="link one" (click)="choose(file)">{{ file.path }}</button>
      }
      @if (store.source(); as source) {
        <p class="soft">Values of {{ source.row.path }}; those that are ticked are filled in.</p>
        @for (value of values(); track value.key) {
          <label class="one"
            ><rule-check [checked]="!left().has(value.key)" (flip)="tick(value.key)" /> {{ value.caption }}: <span class="mono">{{ value.text }}</span></label
          >
        }
        <p-button [label]="'Fill in ' + (ticked().length | count: 'value')" [disabled]="!ticked().length" (onClick)="copied.emit(entries())" />
      }
    </section>
  `,
  styleUrl: './side.css',
})
export class CopyFrom {
  readonly view = input.required<FillView | null>();
  /** Entries to fill in, by their keys. */
  readonly copied = output<readonly (readonly [key: string, text: string])[]>();
  protected readonly store = inject(FillStore);
  protected readonly find = signal('');
  /** Inputs whose values are not copied. */
  protected readonly left = signal<ReadonlySet<string>>(new Set());
  protected readonly values = computed(() => {
    const source = this.store.source();
    const own = source?.details.holders.find((holder) => holder.key === '')?.values ?? [];
    const held = new Map(own.map((value) => [`${value.place}/${value.name}`, value.held] as const));
    return (this.view()?.panels ?? []).flatMap((panel) =>
      panel.inputs.flatMap((entry) => {
        if (!source || entry.input.level !== 'document' || !entry.open) return [];
        const slot = slotOf(entry.property, source.row.kind);
        const text = editable(held.get(`${slot.place}/${slot.name}`) ?? null, entry);
        return text === '' ? [] : [{ key: entry.key, caption: entry.caption, text, entry: editKey(panel.section, entry.input.key, '') }];
      }),
    );
  });
  protected readonly ticked = computed(() => this.values().filter((value) => !this.left().has(value.key)));
  protected readonly entries = computed(() => this.ticked().map((value) => [value.entry, value.text] as const));

  constructor() {
    inject(DestroyRef).onDestroy(() => this.store.forgetSource());
  }

  protected searched(text: string): void {
    this.find.set(text);
    this.store.search(text);
  }

  /** Takes another file, all of its values ticked. */
  protected choose(file: FileRow): void {
    this.left.set(new Set());
    this.store.takeFrom(file);
  }

  protected tick(key: string): void {
    this.left.update((left) => {
      const next = new Set(left);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  }
}
