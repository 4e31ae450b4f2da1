import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked, viewChild } from '@angular/core';
import { BlockCell } from '@rule/contract';
import { FitRule } from '@rule/core/lettering';
import { Binding, CellForm, CellPiece, PLAIN_CELL, Property, bindingWords, sameDefinition } from '@rule/core/schema';
import { readTyped, typedText } from '@rule/core/titleblocks';
import { ButtonModule } from 'primeng/button';
import { FitForm } from './fit-form';
import { PieceForm } from './piece-form';
import { ShownInput } from './shown-input';
import { RuleCheck } from '../kit';

/** A missing property to define, with its level. */
export interface LackingProperty {
  readonly name: string;
  readonly level: 'sheet' | 'drawing' | 'model';
}

/** Editor of a cell's binding: text, format and fit. */
@Component({
  selector: 'rule-binding-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, RuleCheck, FitForm, PieceForm, ShownInput],
  template: `
    <rule-shown-input [text]="text()" [properties]="properties()" [label]="'What ' + cell().tag + ' shows'" (typing)="type($event)" (done)="save()" />
    <p class="soft">{{ typed().unknown.length ? '' : 'Shows ' + inWords() + '.' }}</p>
    @for (name of typed().unknown; track name) {
      <div class="note" role="status">
        <p>The schema has no property “{{ name }}”. Define it as a value of</p>
        <p class="define">
          <button type="button" class="link" (click)="define.emit({ name, level: 'model' })">the model</button>
          <button type="button" class="link" (click)="define.emit({ name, level: 'drawing' })">the drawing</button>
          <button type="button" class="link" (click)="define.emit({ name, level: 'sheet' })">this sheet</button>
        </p>
      </div>
    }
    @if (mayLead()) {
      <label class="line"
        ><rule-check [checked]="leads()" (flip)="setLeads($event)" /> This cell is the value's home: what is typed in the drawing is taken up, and what is typed
        in Rule goes here</label
      >
    }
    <label class="line"><rule-check [checked]="everywhere()" (flip)="everywhere.set($event)" /> For every block that has a cell {{ cell().tag }}</label>
    @if (shows().length) {
      <details>
        <summary>How it is written</summary>
        @for (piece of formed(); track piece.at) {
          @if (!leads()) {
            <rule-piece-form [name]="piece.name" [property]="piece.property" [fact]="piece.fact" [form]="piece.form" (formed)="form(piece.at, $event)" />
          }
        }
        @if (leads()) {
          <p class="soft">A cell that is a value's home shows it unchanged.</p>
        }
      </details>
      <details>
        <summary>If it is too long</summary>
        <rule-fit-form [fit]="fit()" (ruled)="fit.set($event)" />
      </details>
    }
    <div class="actions">
      <p-button size="small" label="Save to draft" [disabled]="!changed() || typed().unknown.length > 0" (onClick)="save()" />
      @if (changed()) {
        <p-button size="small" severity="secondary" label="Reset" (onClick)="reset()" />
      }
    </div>
  `,
  styles: `
    .line {
      display: flex;
      gap: 8px;
      align-items: baseline;
      margin: 6px 0;
    }
    .define {
      display: flex;
      gap: 14px;
      margin: 4px 0 0;
    }
    details {
      border-top: 1px solid var(--line);
      padding: 6px 0;
    }
    summary {
      cursor: pointer;
      padding: 2px 0;
    }
    .actions {
      display: flex;
      gap: 8px;
      margin: 10px 0 20px;
    }
  `,
})
export class BindingEditor {
  readonly cell = input.required<BlockCell>();
  /** Block of the edited cell. */
  readonly block = input.required<string>();
  readonly properties = input.required<readonly Property[]>();
  readonly bind = output<Omit<Binding, 'id'>>();
  readonly define = output<LackingProperty>();
  private readonly field = viewChild.required(ShownInput);

  protected readonly text = signal('');
  /** Formats chosen for the typed pieces. */
  private readonly forms = signal<readonly CellPiece[]>([]);
  protected readonly leads = signal(false);
  protected readonly everywhere = signal(false);
  protected readonly fit = signal<FitRule | null>(null);
  private readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));
  protected readonly typed = computed(() => readTyped(this.text(), this.properties(), this.forms()));
  protected readonly shows = computed(() => this.typed().shows);
  protected readonly formed = computed(() =>
    this.shows().flatMap((piece, at) => {
      if ('words' in piece) return [];
      const property = 'property' in piece ? (this.byId().get(piece.property) ?? null) : null;
      return [{ at, form: piece.form, property, fact: 'fact' in piece ? piece.fact : null, name: 'fact' in piece ? piece.fact : (property?.caption ?? '') }];
    }),
  );
  protected readonly inWords = computed(() =>
    bindingWords({ shows: this.shows(), leads: this.leads() }, (id) => this.byId().get(id)?.caption ?? 'a property that is not there'),
  );
  /** Whether the single piece can have its home in a cell. */
  protected readonly mayLead = computed(() => {
    const [piece, ...more] = this.shows();
    return more.length === 0 && piece !== undefined && 'property' in piece && this.byId().get(piece.property)?.level === 'sheet';
  });
  protected readonly changed = computed(() => {
    const old = this.cell().drafted;
    return (
      !sameDefinition(this.shows(), old?.shows ?? []) ||
      this.leads() !== (old?.leads ?? false) ||
      !sameDefinition(this.fit(), old?.fit ?? null) ||
      (old !== null && this.everywhere() !== (old.block === null)) ||
      (old === null && this.shows().length > 0)
    );
  });

  /** The edited binding; reset only for another cell or binding. */
  private readonly subject = computed(() => JSON.stringify([this.block(), this.cell().tag, this.cell().drafted, this.named()]));
  /** Whether properties are loaded. */
  private readonly named = computed(() => this.properties().length > 0);

  constructor() {
    effect(() => {
      this.subject();
      untracked(() => this.reset());
    });
  }

  /** Starts typing. */
  focus(): void {
    this.field().focus();
  }
  protected reset(): void {
    const old = this.cell().drafted;
    this.forms.set(old?.shows ?? []);
    this.text.set(old ? typedText(old.shows, this.properties()) : '');
    this.leads.set(old?.leads ?? false);
    this.fit.set(old?.fit ?? null);
    this.everywhere.set(old !== null && old.block === null);
  }
  protected type(text: string): void {
    this.text.set(text);
    if (!this.mayLead()) this.leads.set(false);
  }
  protected form(at: number, form: CellForm): void {
    this.forms.set(this.shows().map((piece, i) => (i === at && !('words' in piece) ? { ...piece, form } : piece)));
  }
  protected setLeads(leads: boolean): void {
    this.leads.set(leads);
    const [piece] = this.shows();
    if (leads && piece && 'property' in piece) this.forms.set([{ ...piece, form: PLAIN_CELL }]);
  }
  protected save(): void {
    if (!this.changed() || this.typed().unknown.length > 0) return;
    const fit = this.fit();
    this.bind.emit({
      block: this.everywhere() ? null : this.block(),
      cell: this.cell().tag,
      shows: this.shows(),
      leads: this.leads(),
      ...(fit === null ? {} : { fit }),
    });
  }
}
