import { CdkDrag, CdkDragDrop, CdkDragHandle, CdkDropList } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, ElementRef, afterNextRender, computed, inject, Injector, input, output, signal } from '@angular/core';
import { FormProblem, FillView, InputView } from '@rule/core/forms';
import { FormInput, FormPanel, Property, columnsOf, spanOf } from '@rule/core/schema';
import { RuleTip } from '../kit';
import { EntryInput, FieldEdit, NO_SUGGESTIONS } from '../entry-form';
import { InputSettings } from './input-settings';
import { Laid, Place, addInputs, addPanel, changeInput, changePanel, moveInput, movePanel, removeAt, step } from './layout';
import { PanelSettings } from './panel-settings';
import { PropertyAdder } from './property-adder';

/** Insertion point: before an input of a panel. */
interface Insertion {
  readonly panel: string;
  readonly at: number;
}

/**
 * The form designer: inputs as users see them, with a file's values; settings open in place, and an insertion line takes property names.
 */
@Component({
  selector: 'rule-form-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, CdkDrag, CdkDragHandle, CdkDropList, EntryInput, InputSettings, PanelSettings, PropertyAdder],
  template: `
    <div cdkDropList [cdkDropListDisabled]="!editable()" (cdkDropListDropped)="panelDropped($event)">
      @for (panel of form().panels; track panel.key; let p = $index) {
        <section class="card panel" cdkDrag [attr.aria-label]="'Panel ' + panel.title" [class.on]="isAt(panel.key, null)">
          <header>
            @if (editable()) {
              <span class="handle" cdkDragHandle aria-hidden="true">⠿</span>
            }
            <h3>{{ panel.title || 'untitled panel' }}</h3>
            @if (panel.shownWhen) {
              <span class="mono soft">when {{ panel.shownWhen }}</span>
            }
            @if (problemAt(panel.key, null); as text) {
              <span class="bad">{{ text }}</span>
            }
            <button
              type="button"
              class="link edit"
              [attr.data-panel]="panel.key"
              [attr.aria-label]="(editable() ? 'Edit panel ' : 'Settings of panel ') + panel.title"
              [attr.aria-expanded]="isAt(panel.key, null)"
              (click)="toggle({ panel: panel.key, input: null })"
              (keydown)="key($event, { panel: panel.key, input: null })"
            >
              {{ editable() ? 'Edit' : 'Settings' }}
            </button>
          </header>
          @if (isAt(panel.key, null)) {
            <rule-panel-settings
              [panel]="panel"
              [properties]="properties()"
              [alone]="form().panels.length === 1"
              [disabled]="!editable()"
              (edited)="editPanel(panel, $event)"
              (removed)="remove({ panel: panel.key, input: null })"
              (closed)="toggle({ panel: panel.key, input: null })"
            />
          }
          <div
            class="grid"
            cdkDropList
            cdkDropListOrientation="mixed"
            [id]="'form-panel-' + panel.key"
            [cdkDropListConnectedTo]="lists()"
            [class.narrow]="narrow()"
            [style.--columns]="columnsOf(panel)"
            [style.--adder]="columnsOf(panel) === 1 ? 1 : 2"
            [cdkDropListData]="panel"
            [cdkDropListDisabled]="!editable()"
            (cdkDropListDropped)="dropped($event)"
          >
            @for (entry of panel.inputs; track entry.key; let i = $index) {
              @if (inserting()?.panel === panel.key && inserting()?.at === i) {
                <rule-property-adder
                  class="adder"
                  [eager]="true"
                  [properties]="addable()"
                  [label]="'Insert before ' + captionOf(entry)"
                  (added)="add(panel.key, i, $event)"
                  (closed)="inserting.set(null)"
                />
              }
              @let view = viewOf(entry);
              <div
                class="slot"
                cdkDrag
                [cdkDragData]="entry"
                [style.grid-column]="narrow() ? 'auto' : 'span ' + spanOf(panel, entry)"
                [class.on]="isAt(panel.key, entry.key)"
                [class.away]="!view"
              >
                @if (editable()) {
                  <button
                    type="button"
                    class="insert"
                    [attr.aria-label]="'Insert before ' + captionOf(entry)"
                    ruleTip="Insert here"
                    (click)="inserting.set({ panel: panel.key, at: i })"
                  ></button>
                }
                <div class="tools">
                  @if (editable()) {
                    <span class="handle" cdkDragHandle aria-hidden="true">⠿</span>
                  }
                  <button
                    type="button"
                    class="link edit"
                    [attr.data-input]="entry.key"
                    [attr.aria-label]="(editable() ? 'Edit ' : 'Settings of ') + captionOf(entry)"
                    [attr.aria-expanded]="isAt(panel.key, entry.key)"
                    (click)="toggle({ panel: panel.key, input: entry.key })"
                    (keydown)="key($event, { panel: panel.key, input: entry.key })"
                  >
                    {{ editable() ? 'Edit' : 'Settings' }}
                  </button>
                </div>
                @if (view) {
                  <rule-entry-input
                    [view]="view"
                    [suggestions]="none"
                    [disabled]="false"
                    (typed)="typed.emit({ section: 'preview', input: entry.key, row: $event.row, text: $event.text })"
                  />
                } @else {
                  <b class="name">{{ captionOf(entry) }}</b>
                  <small>{{ whyAway(panel, entry) }}</small>
                }
                @if (waitsHere(entry, view); as text) {
                  <small class="warn">{{ text }}</small>
                }
                @if (problemAt(panel.key, entry.key); as text) {
                  <small class="bad">{{ text }}</small>
                }
                @if (editable() && !narrow()) {
                  <span class="edge" aria-hidden="true" title="Drag to change the width" (pointerdown)="stretch($event, panel, entry)"></span>
                }
              </div>
              @if (isAt(panel.key, entry.key)) {
                <rule-input-settings
                  class="under"
                  [entry]="entry"
                  [property]="byId().get(entry.property)"
                  [columns]="columnsOf(panel)"
                  [properties]="properties()"
                  [caption]="captionOf(entry)"
                  [panelShownWhen]="panel.shownWhen"
                  [hangs]="editable() ? hangs() : []"
                  [disabled]="!editable()"
                  (edited)="edit({ panel: panel.key, input: entry.key }, $event)"
                  (removed)="remove({ panel: panel.key, input: entry.key })"
                  (closed)="toggle({ panel: panel.key, input: entry.key })"
                />
              }
            } @empty {
              <p class="soft empty">This panel has no inputs yet.</p>
            }
            @if (editable()) {
              <rule-property-adder
                class="last"
                [properties]="addable()"
                [label]="'Add to panel ' + panel.title"
                placeholder="Add: type property names"
                (added)="add(panel.key, panel.inputs.length, $event)"
              />
            }
          </div>
        </section>
        @if (editable()) {
          <button type="button" class="link between" (click)="insertPanel(p + 1)">
            {{ p + 1 === form().panels.length ? 'Add panel' : 'Insert panel' }}
          </button>
        }
      }
    </div>
  `,
  styleUrl: './form-sheet.css',
})
export class FormSheet {
  protected readonly columnsOf = columnsOf;
  protected readonly spanOf = spanOf;
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  readonly form = input.required<Laid>();
  /** The form with a file's values; `null` without a file. */
  readonly view = input.required<FillView | null>();
  readonly properties = input.required<readonly Property[]>();
  readonly problems = input.required<readonly FormProblem[]>();
  /** Panels and inputs whose condition depends on a property. */
  readonly waiting = input.required<ReadonlyMap<number, readonly Place[]>>();
  /** What depends on the selected input. */
  readonly hangs = input.required<readonly string[]>();
  readonly at = input.required<Place | null>();
  readonly editable = input(false);
  readonly narrow = input(false);
  readonly laid = output<Laid>();
  readonly chosen = output<Place | null>();
  readonly typed = output<FieldEdit>();

  protected readonly none = NO_SUGGESTIONS;
  protected readonly inserting = signal<Insertion | null>(null);
  protected readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));
  protected readonly lists = computed(() => this.form().panels.map(({ key }) => `form-panel-${key}`));
  /** Properties the form does not include, required ones first. */
  protected readonly addable = computed(() => {
    const form = this.form();
    const asked = new Set(form.panels.flatMap((panel) => panel.inputs.map((entry) => entry.property)));
    return this.properties()
      .filter((property) => !property.retired && !asked.has(property.id) && form.kinds.some((kind) => property.kinds.includes(kind)))
      .sort((a, b) => Number(b.required) - Number(a.required));
  });
  private readonly views = computed(
    () => new Map((this.view()?.panels ?? []).flatMap((panel) => panel.inputs.map((entry): [string, InputView] => [entry.input.key, entry]))),
  );

  protected isAt = (panel: string, key: string | null) => this.at()?.panel === panel && this.at()?.input === key;
  protected captionOf = (entry: FormInput) => entry.caption || (this.byId().get(entry.property)?.caption ?? 'a property that is gone');
  protected viewOf = (entry: FormInput) => this.views().get(entry.key) ?? null;
  protected problemAt = (panel: string, key: string | null) =>
    this.problems().find((problem) => problem.panel === panel && problem.input === key)?.message ?? null;

  /** Why an input is hidden for the file. */
  protected whyAway(panel: FormPanel, entry: FormInput): string {
    if (!this.view()) return [entry.look, ...(entry.shownWhen ? [`when ${entry.shownWhen}`] : [])].join(', ');
    if (entry.shownWhen) return `Hidden for this file: shown when ${entry.shownWhen}`;
    if (panel.shownWhen) return `Hidden for this file: its panel is shown when ${panel.shownWhen}`;
    return 'Does not apply to this file.';
  }
  /** What waits for a blank input. */
  protected waitsHere(entry: FormInput, view: InputView | null): string | null {
    const row = view?.rows[0];
    if (!row || (row.typed ?? row.text) !== '' || row.state === 'mixed') return null;
    const names = (this.waiting().get(entry.property) ?? []).map(({ panel: key, input: waits }) => {
      const panel = this.form().panels.find((own) => own.key === key)!;
      return waits === null ? `the panel ${panel.title}` : this.captionOf(panel.inputs.find((own) => own.key === waits)!);
    });
    return names.length ? `Still blank: decides whether ${names.join(' and ')} ${names.length === 1 ? 'is' : 'are'} shown.` : null;
  }

  protected toggle(place: Place): void {
    const same = this.isAt(place.panel, place.input);
    this.chosen.emit(same ? null : place);
    if (same) this.focusOn(place);
  }
  protected edit(place: Place, change: Partial<FormInput>): void {
    this.laid.emit(changeInput(this.form(), place, change));
  }
  protected editPanel({ key }: FormPanel, change: Partial<FormPanel>): void {
    this.laid.emit(changePanel(this.form(), key, change));
  }
  protected add(panel: string, at: number, properties: readonly Property[]): void {
    const { form, keys } = addInputs(this.form(), panel, properties, at);
    this.laid.emit(form);
    if (this.inserting()) this.inserting.set({ panel, at: at + keys.length });
  }
  protected insertPanel(at: number): void {
    const { form, key } = addPanel(this.form(), at);
    this.laid.emit(form);
    this.chosen.emit({ panel: key, input: null });
  }
  protected remove(place: Place): void {
    const panel = this.form().panels.find((own) => own.key === place.panel);
    const i = panel?.inputs.findIndex((entry) => entry.key === place.input) ?? -1;
    const next = panel?.inputs[i + 1] ?? panel?.inputs[i - 1];
    this.laid.emit(removeAt(this.form(), place));
    this.chosen.emit(null);
    const other = this.form().panels.find((own) => own.key !== place.panel);
    this.focusOn(place.input === null ? { panel: other?.key ?? place.panel, input: null } : { panel: place.panel, input: next?.key ?? null });
  }
  protected dropped({ item, container, currentIndex }: CdkDragDrop<FormPanel>): void {
    this.laid.emit(moveInput(this.form(), (item.data as FormInput).key, container.data.key, currentIndex));
  }
  protected panelDropped({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    this.laid.emit(movePanel(this.form(), previousIndex, currentIndex));
  }
  protected key(event: KeyboardEvent, place: Place): void {
    if (!this.editable()) return;
    const by = event.key === 'ArrowDown' || event.key === 'ArrowRight' ? 1 : event.key === 'ArrowUp' || event.key === 'ArrowLeft' ? -1 : null;
    if (by !== null && event.altKey) {
      const form = step(this.form(), place, by);
      this.laid.emit(form);
      const panel = place.input === null ? place.panel : form.panels.find((own) => own.inputs.some((entry) => entry.key === place.input))!.key;
      if (this.at()) this.chosen.emit(this.isAt(place.panel, place.input) ? { panel, input: place.input } : this.at());
      this.focusOn({ panel, input: place.input });
    } else if (by !== null && event.shiftKey && place.input !== null) {
      const panel = this.form().panels.find((own) => own.key === place.panel);
      const entry = panel?.inputs.find((own) => own.key === place.input);
      if (panel && entry) this.widen(panel, entry, spanOf(panel, entry) + by);
    } else if (event.key === 'Delete') {
      if (place.input !== null || this.form().panels.length > 1) this.remove(place);
    } else return;
    event.preventDefault();
  }
  private widen(panel: FormPanel, entry: FormInput, width: number): void {
    this.edit({ panel: panel.key, input: entry.key }, { width: Math.max(1, Math.min(columnsOf(panel), width)) });
  }
  /** Dragging the right edge changes the width by columns. */
  protected stretch(event: PointerEvent, panel: FormPanel, entry: FormInput): void {
    event.preventDefault();
    event.stopPropagation();
    const edge = event.target as HTMLElement;
    const slot = edge.closest<HTMLElement>('.slot')!;
    const column = slot.parentElement!.clientWidth / columnsOf(panel);
    const left = slot.getBoundingClientRect().left;
    edge.setPointerCapture(event.pointerId);
    const move = (moved: PointerEvent) => this.widen(panel, entry, Math.round((moved.clientX - left) / column));
    edge.addEventListener('pointermove', move);
    edge.addEventListener('lostpointercapture', () => edge.removeEventListener('pointermove', move), { once: true });
  }
  /** Focus follows the moved item. */
  private focusOn({ panel, input: key }: Place): void {
    afterNextRender(() => this.host.nativeElement.querySelector<HTMLElement>(key === null ? `[data-panel="${panel}"]` : `[data-input="${key}"]`)?.focus(), {
      injector: this.injector,
    });
  }
}
