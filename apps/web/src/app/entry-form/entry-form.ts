import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FillView, InputView } from '@rule/core/forms';
import { columnsOf, spanOf } from '@rule/core/schema';
import { EntryInput, NO_SUGGESTIONS, Suggestions } from './entry-input';

export { NO_SUGGESTIONS, type Suggestions } from './entry-input';

/** A change of one field: typed text, or `null` for undone. */
export interface FieldEdit {
  readonly section: string;
  readonly input: string;
  readonly row: string;
  readonly text: string | null;
}

/** A form with its panels and inputs. Displays given values and emits edits. */
@Component({
  selector: 'rule-entry-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [EntryInput],
  template: `
    @for (panel of view().panels; track panel.section + panel.panel.key) {
      @if (titleOf(panel.section, panel.panel.key); as title) {
        <h2 class="section">{{ title }}</h2>
      }
      <section class="card panel" [attr.aria-label]="panel.panel.title || 'Values'">
        @if (panel.panel.title) {
          <h3>{{ panel.panel.title }}</h3>
        }
        <div class="grid" [class.narrow]="narrow()" [style.--columns]="columnsOf(panel.panel)">
          @for (entry of panel.inputs; track entry.key) {
            <rule-entry-input
              [style.grid-column]="narrow() ? 'auto' : 'span ' + spanOf(panel.panel, entry.input)"
              [view]="entry"
              [suggestions]="suggestions()"
              [disabled]="disabled()"
              (typed)="edited.emit({ section: panel.section, input: entry.input.key, row: $event.row, text: $event.text })"
              (drawn)="drawn.emit(entry)"
              (handed)="handed.emit({ property: entry.property.id, text: $event.text, on: $event.on })"
            />
          }
        </div>
      </section>
    } @empty {
      <p class="note">This form has no inputs for these files.</p>
    }
  `,
  styles: `
    .section {
      margin: 18px 0 8px;
    }
    .section:first-child {
      margin-top: 0;
    }
    .panel {
      padding: 10px 16px 14px;
      margin-bottom: 12px;
    }
    h3 {
      margin: 0 0 8px;
    }
    .grid {
      display: grid;
      grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
      gap: 12px 16px;
      align-items: start;
    }
    .grid.narrow {
      grid-template-columns: minmax(0, 1fr);
    }
  `,
})
export class EntryFormView {
  protected readonly columnsOf = columnsOf;
  protected readonly spanOf = spanOf;
  readonly view = input.required<FillView>();
  readonly suggestions = input<Suggestions>(NO_SUGGESTIONS);
  /** Section titles, if there are several. */
  readonly titles = input<ReadonlyMap<string, string>>(new Map());
  readonly narrow = input(false);
  readonly disabled = input(false);
  readonly edited = output<FieldEdit>();
  readonly drawn = output<InputView>();
  readonly handed = output<{ property: number; text: string; on: boolean }>();

  private readonly firstOf = computed(() => {
    const first = new Map<string, string>();
    for (const panel of this.view().panels) if (!first.has(panel.section)) first.set(panel.section, panel.panel.key);
    return first;
  });

  /** Section title, above its first panel. */
  protected titleOf(section: string, panel: string): string | null {
    return this.titles().size > 1 && this.firstOf().get(section) === panel ? (this.titles().get(section) ?? null) : null;
  }
}
