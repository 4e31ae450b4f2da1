import { Signal, computed, signal } from '@angular/core';
import { GridRow } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { GridCells } from './cells';

/** All choices of a property, a blank first where it may be; `null` for free text. */
function choicesOf(property: Property): readonly string[] | null {
  if (property.type === 'choice' && !property.open) return property.required ? property.choices : ['', ...property.choices];
  const words = property.words ?? ['yes', 'no'];
  if (property.type === 'yesno') return property.required ? words : ['', ...words];
  return null;
}

/** The text being typed into the cell with the keyboard. */
export class CellEditor {
  private readonly open = signal<string | null>(null);
  /** Editor text; `null` when closed. */
  readonly text = this.open.asReadonly();
  /** Whether something was typed; then choices are filtered. */
  private readonly hasTyped = signal(false);
  private readonly submitted = signal(false);
  /** Whether an invalid choice was submitted. */
  readonly complained = this.submitted.asReadonly();
  /** The highlighted choice. */
  private readonly onChoice = signal<number | null>(null);
  /** All choices of the edited property; `null` for free text. */
  readonly choices = computed(() => {
    const property = this.open() === null ? null : this.property();
    return property && choicesOf(property);
  });
  /** Choices that go with what is typed: those that begin with it first. */
  readonly offered = computed((): readonly string[] => {
    const [all, text] = [this.choices() ?? [], (this.open() ?? '').toLowerCase()];
    if (!this.hasTyped() || text === '') return all;
    const begins = all.filter((choice) => choice.toLowerCase().startsWith(text));
    return [...begins, ...all.filter((choice) => !begins.includes(choice) && choice.toLowerCase().includes(text))];
  });
  /** The choice Enter takes: highlighted, matching, or current; -1 for none. */
  readonly pick = computed(() => {
    const [chosen, offered, text] = [this.onChoice(), this.offered(), this.open() ?? ''];
    if (chosen !== null) return Math.min(chosen, offered.length - 1);
    if (!this.hasTyped() || text === '') return offered.indexOf(text);
    return offered[0]?.toLowerCase().startsWith(text.toLowerCase()) ? 0 : -1;
  });
  readonly error = computed(() => {
    const [text, property, row] = [this.open(), this.property(), this.row()];
    if (text === null || !property || !row || text === this.cells.textOf(row, property)) return null;
    return this.cells.wrong(text, row, property);
  });

  constructor(
    private readonly cells: GridCells,
    private readonly row: Signal<GridRow | null>,
    private readonly property: Signal<Property | null>,
  ) {}

  /** Opens with the cell's text, or with a typed key. */
  begin(text: string | null): void {
    this.hasTyped.set(text !== null);
    this.submitted.set(false);
    this.onChoice.set(null);
    this.open.set(text ?? this.cells.textOf(this.row(), this.property()));
  }

  type(text: string): void {
    this.hasTyped.set(true);
    this.submitted.set(false);
    this.onChoice.set(null);
    this.open.set(text);
  }

  /** A key that came before the editor had the focus. */
  buffer(key: string): void {
    this.hasTyped.set(true);
    this.open.update((text) => `${text ?? ''}${key}`);
  }

  /** Highlights a choice, the nearest there is. */
  highlight(at: number): void {
    this.onChoice.set(Math.max(0, Math.min(this.offered().length - 1, at)));
  }

  /** Gives up what is typed. */
  close(): void {
    this.open.set(null);
  }

  /**
   * Closes with what was typed.
   * @returns the new text, `null` if there is none, or `false` if it is invalid and stays open
   */
  finish(byKey: boolean): string | null | false {
    const [row, property] = [this.row(), this.property()];
    if (this.open() === null || !row || !property) return null;
    const text = this.result(byKey);
    this.open.set(text);
    if (this.error()) {
      this.submitted.set(true);
      return false;
    }
    this.open.set(null);
    return text === this.cells.textOf(row, property) ? null : text;
  }

  /** The picked choice, or on leaving only an unambiguous one. */
  private result(byKey: boolean): string {
    const text = this.open()!;
    const choices = this.choices();
    if (!choices) return text;
    if (byKey || this.onChoice() !== null) return this.offered()[this.pick()] ?? text;
    return choices.find((choice) => choice.toLowerCase() === text.toLowerCase()) ?? text;
  }
}
