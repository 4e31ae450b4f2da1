import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BlockCell } from '@rule/contract';
import {
  Binding,
  CELL_FACTS,
  CELL_LETTERS,
  CellFact,
  CellPiece,
  CellSource,
  PLAIN_CELL,
  Property,
  bindingWords,
  sameDefinition,
  sourcesOf,
} from '@rule/core/schema';
import { ButtonModule } from 'primeng/button';
import { CheckboxModule } from 'primeng/checkbox';
import { InputTextModule } from 'primeng/inputtext';
import { SelectModule } from 'primeng/select';

/** What a piece can be chosen to be: `p` and a property's number, a fact, or words. */
type Choice = `p${number}` | CellFact | 'words';

interface ChoiceGroup {
  readonly label: string;
  readonly items: readonly { readonly label: string; readonly value: Choice }[];
}

/** What a cell shows, piece by piece, as it is to stand in the draft. */
@Component({
  selector: 'rule-binding-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, CheckboxModule, FormsModule, InputTextModule, SelectModule],
  template: `
    @for (piece of shows(); track $index) {
      <div class="piece" role="group" [attr.aria-label]="'Piece ' + ($index + 1)">
        <p-select
          size="small"
          appendTo="body"
          [options]="choices()"
          [group]="true"
          optionGroupLabel="label"
          optionGroupChildren="items"
          optionLabel="label"
          optionValue="value"
          [filter]="true"
          placeholder="Choose what it shows"
          [ariaLabel]="'What piece ' + ($index + 1) + ' shows'"
          [ngModel]="choiceOf(piece)"
          (ngModelChange)="choose($index, $event)"
        />
        <button type="button" class="link" [attr.aria-label]="'Take out piece ' + ($index + 1)" (click)="remove($index)">Take out</button>
        @if (wordsOf(piece); as text) {
          <input
            pInputText
            pSize="small"
            [attr.aria-label]="'Words of piece ' + ($index + 1)"
            [ngModel]="text.words"
            (ngModelChange)="put($index, { words: $event })"
          />
        } @else if (formedOf(piece); as formed) {
          @if (sources(piece).length > 1) {
            <p-select
              size="small"
              appendTo="body"
              [options]="sources(piece)"
              [ariaLabel]="'Where piece ' + ($index + 1) + ' comes from'"
              [ngModel]="sourceOf(piece)"
              (ngModelChange)="from($index, $event)"
            />
          }
          <p-select
            size="small"
            appendTo="body"
            [options]="letters"
            optionLabel="label"
            optionValue="value"
            [disabled]="leads()"
            [ariaLabel]="'Letters of piece ' + ($index + 1)"
            [ngModel]="formed.form.letters"
            (ngModelChange)="form($index, { letters: $event })"
          />
          @if (hasUnit(piece)) {
            <label [attr.for]="'piece-unit-' + $index"
              ><p-checkbox [binary]="true" [inputId]="'piece-unit-' + $index" [ngModel]="formed.form.unit" (ngModelChange)="form($index, { unit: $event })" />
              with its unit</label
            >
          }
        }
      </div>
    }
    <div class="more">
      <button type="button" class="link" (click)="add()">{{ shows().length ? 'Add another piece' : 'Say what it shows' }}</button>
    </div>
    @if (mayLead()) {
      <label class="line" for="binding-leads"
        ><p-checkbox [binary]="true" inputId="binding-leads" [ngModel]="leads()" (ngModelChange)="setLeads($event)" /> This cell is the value's home: what is
        typed in the drawing is taken up, and what is typed in Rule goes here</label
      >
    }
    <label class="line" for="binding-everywhere"
      ><p-checkbox [binary]="true" inputId="binding-everywhere" [ngModel]="everywhere()" (ngModelChange)="everywhere.set($event)" /> For every block that has a
      cell {{ cell().tag }}</label
    >
    <p class="soft">Shows {{ inWords() }}.</p>
    <div class="actions">
      <p-button size="small" label="Into the draft" [disabled]="!changed() || !whole()" (onClick)="save()" />
      @if (changed()) {
        <p-button size="small" severity="secondary" label="As it was" (onClick)="reset()" />
      }
    </div>
  `,
  styles: `
    .piece {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 4px 8px;
      align-items: center;
      padding: 6px 0;
      border-bottom: 1px solid var(--line);
    }
    .piece > p-select:first-child {
      min-width: 0;
    }
    .piece > :nth-child(n + 3) {
      grid-column: 1 / -1;
    }
    .more {
      margin: 6px 0 10px;
    }
    .line {
      display: flex;
      gap: 8px;
      align-items: baseline;
      margin: 6px 0;
    }
    .actions {
      display: flex;
      gap: 8px;
      margin-bottom: 20px;
    }
  `,
})
export class BindingEditor {
  readonly cell = input.required<BlockCell>();
  /** Name of the block that the cell is edited in. */
  readonly block = input.required<string>();
  readonly properties = input.required<readonly Property[]>();
  readonly bind = output<Omit<Binding, 'id'>>();

  protected readonly letters = CELL_LETTERS.map((value) => ({ value, label: value === 'as they are' ? 'letters as they are' : `in ${value}` }));
  protected readonly shows = signal<readonly CellPiece[]>([]);
  protected readonly leads = signal(false);
  protected readonly everywhere = signal(false);
  private readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));
  protected readonly choices = computed<ChoiceGroup[]>(() => [
    {
      label: 'Properties',
      items: this.properties()
        .filter((property) => sourcesOf(property).length > 0)
        .map((property) => ({ label: property.caption, value: `p${property.id}` as const })),
    },
    { label: 'Facts', items: CELL_FACTS.map((fact) => ({ label: fact, value: fact })) },
    { label: 'Fixed words', items: [{ label: 'Words', value: 'words' }] },
  ]);
  protected readonly inWords = computed(() =>
    bindingWords({ shows: this.shows(), leads: this.leads() }, (id) => this.byId().get(id)?.caption ?? 'a property that is not there'),
  );
  /** Whether the one piece that there is can be at home in a cell. */
  protected readonly mayLead = computed(() => {
    const [piece, ...more] = this.shows();
    return more.length === 0 && piece !== undefined && 'property' in piece && this.byId().get(piece.property)?.level === 'sheet';
  });
  /** Whether every piece says what it is. */
  protected readonly whole = computed(() => this.shows().every((piece) => !('words' in piece) || piece.words !== ''));
  protected readonly changed = computed(() => {
    const old = this.cell().drafted;
    return (
      !sameDefinition(this.shows(), old?.shows ?? []) ||
      this.leads() !== (old?.leads ?? false) ||
      (old !== null && this.everywhere() !== (old.block === null)) ||
      (old === null && this.shows().length > 0)
    );
  });

  constructor() {
    effect(() => {
      this.cell();
      this.reset();
    });
  }

  protected reset(): void {
    const old = this.cell().drafted;
    this.shows.set(old?.shows ?? []);
    this.leads.set(old?.leads ?? false);
    this.everywhere.set(old !== null && old.block === null);
  }

  protected choiceOf(piece: CellPiece): Choice {
    return 'words' in piece ? 'words' : 'fact' in piece ? piece.fact : `p${piece.property}`;
  }
  protected wordsOf(piece: CellPiece): { readonly words: string } | null {
    return 'words' in piece ? piece : null;
  }
  protected formedOf(piece: CellPiece): Exclude<CellPiece, { readonly words: string }> | null {
    return 'words' in piece ? null : piece;
  }
  protected sources(piece: CellPiece): CellSource[] {
    const property = 'property' in piece ? this.byId().get(piece.property) : undefined;
    return property ? sourcesOf(property) : [];
  }
  protected sourceOf(piece: CellPiece): CellSource | null {
    return 'property' in piece ? piece.from : null;
  }
  protected hasUnit(piece: CellPiece): boolean {
    return 'property' in piece && this.byId().get(piece.property)?.unit != null && !this.leads();
  }

  protected put(at: number, piece: CellPiece): void {
    this.shows.update((shows) => shows.map((other, i) => (i === at ? piece : other)));
    if (!this.mayLead()) this.leads.set(false);
  }
  protected choose(at: number, choice: Choice): void {
    if (choice === 'words') this.put(at, { words: ' ' });
    else if (/^p\d+$/.test(choice)) {
      const id = Number(choice.slice(1));
      this.put(at, { property: id, from: sourcesOf(this.byId().get(id)!)[0]!, form: PLAIN_CELL });
    } else this.put(at, { fact: choice as CellFact, form: PLAIN_CELL });
  }
  protected from(at: number, from: CellSource): void {
    const piece = this.shows()[at]!;
    if ('property' in piece) this.put(at, { ...piece, from });
  }
  protected form(at: number, change: Partial<typeof PLAIN_CELL>): void {
    const piece = this.shows()[at]!;
    if (!('words' in piece)) this.put(at, { ...piece, form: { ...piece.form, ...change } });
  }
  protected add(): void {
    const first = this.properties().find((property) => sourcesOf(property).length > 0);
    const piece: CellPiece =
      this.shows().length > 0
        ? { words: ' ' }
        : first
          ? { property: first.id, from: sourcesOf(first)[0]!, form: PLAIN_CELL }
          : { fact: 'file name', form: PLAIN_CELL };
    this.shows.update((shows) => [...shows, piece]);
    if (!this.mayLead()) this.leads.set(false);
  }
  protected remove(at: number): void {
    this.shows.update((shows) => shows.filter((_, i) => i !== at));
    if (!this.mayLead()) this.leads.set(false);
  }
  protected setLeads(leads: boolean): void {
    this.leads.set(leads);
    const [piece] = this.shows();
    if (leads && piece && 'property' in piece) this.shows.set([{ ...piece, form: PLAIN_CELL }]);
  }
  protected save(): void {
    this.bind.emit({ block: this.everywhere() ? null : this.block(), cell: this.cell().tag, shows: this.shows(), leads: this.leads() });
  }
}
