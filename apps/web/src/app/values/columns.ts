import { CdkDrag, CdkDropList } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, ElementRef, inject, input, signal } from '@angular/core';
import { GridViewContent } from '@rule/contract';
import { FormsModule } from '@angular/forms';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck } from '../kit';
import { ColumnsStore } from './columns.store';

/** Chooses and orders the columns of the grid, and keeps views. */
@Component({
  selector: 'rule-grid-columns',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, CdkDrag, CdkDropList, FormsModule, InputTextModule, RuleCheck],
  template: `
    <section class="card panel" aria-label="Columns">
      <div cdkDropList (cdkDropListDropped)="columns.move($event.previousIndex, $event.currentIndex)">
        @for (entry of columns.list(); track entry.property.id; let i = $index) {
          <div
            class="column"
            role="group"
            [attr.aria-label]="entry.property.caption"
            tabindex="-1"
            cdkDrag
            cdkDragLockAxis="y"
            (keydown.alt.arrowUp)="move(i, -1, $event)"
            (keydown.alt.arrowDown)="move(i, 1, $event)"
          >
            <label><rule-check [checked]="entry.on" (flip)="columns.show(entry.property.id)" /> {{ entry.property.caption }}</label>
          </div>
        }
      </div>
      <div>
        <label class="field">
          <span>Frozen columns beside the file</span>
          <input pInputText type="number" min="0" max="10" [ngModel]="columns.frozen()" (ngModelChange)="columns.freeze($event)" />
        </label>
        <p class="soft">Drag a column or press Alt+arrow to move it.</p>
        <div class="keep">
          <input pInputText aria-label="Name for the view" placeholder="name for this view" [ngModel]="name()" (ngModelChange)="name.set($event)" />
          <label><rule-check [checked]="shared()" (flip)="shared.set($event)" /> for everyone</label>
          <p-button label="Keep this view" [disabled]="!name().trim()" (onClick)="keep()" />
        </div>
        @for (kept of columns.ownViews(); track kept.id) {
          <p class="one">
            {{ kept.name }}{{ kept.shared ? ', for everyone' : '' }}
            <button type="button" class="link" [attr.aria-label]="'Remove the view ' + kept.name" (click)="columns.remove(kept)">Remove</button>
          </p>
        }
        <button type="button" class="link" (click)="columns.reset()">All columns in the order of the schema</button>
      </div>
    </section>
  `,
  styleUrl: './panel.css',
  styles: `
    .panel {
      display: grid;
      grid-template-columns: minmax(180px, 260px) minmax(0, 1fr);
      gap: 18px;
    }
    .column {
      padding: 2px 0;
      cursor: grab;
    }
    .one {
      margin: 4px 0 0;
    }
  `,
})
export class GridColumns {
  /** What a view keeps besides the columns. */
  readonly rest = input.required<Omit<GridViewContent, 'columns' | 'frozen' | 'widths'>>();
  protected readonly columns = inject(ColumnsStore);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly name = signal('');
  protected readonly shared = signal(false);

  protected move(at: number, by: number, event: Event): void {
    event.preventDefault();
    this.columns.move(at, at + by);
    setTimeout(() => this.host.nativeElement.querySelectorAll<HTMLElement>('.column input')[at + by]?.focus());
  }

  protected keep(): void {
    this.columns.keep(this.name().trim(), this.shared(), this.rest(), () => this.name.set(''));
  }
}
