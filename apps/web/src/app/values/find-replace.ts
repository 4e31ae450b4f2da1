import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileFilter, ReplacementLine } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { Count, FileLink } from '../shared';
import { GridEdit } from './grid';
import { ReplaceStore } from './replace.store';

/** Finds texts in the files of the view and replaces them, after a preview. */
@Component({
  selector: 'rule-find-replace',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, ButtonModule, Count, FileLink, FormsModule, InputTextModule, RuleCheck, RuleOption, RuleSelect],
  providers: [ReplaceStore],
  template: `
    <section class="card panel" aria-label="Find and replace">
      <form class="keep" (ngSubmit)="look()">
        <input pInputText name="find" aria-label="Find" placeholder="find" [ngModel]="find()" (ngModelChange)="find.set($event); store.forget()" />
        <input pInputText name="by" aria-label="Replace with" placeholder="replace with" [ngModel]="by()" (ngModelChange)="by.set($event); store.forget()" />
        <rule-select name="where" ariaLabel="Where" [ngModel]="where()" (ngModelChange)="where.set($event); store.forget()">
          <rule-option value="" label="in all columns" />
          @for (property of columns(); track property.id) {
            <rule-option [value]="'' + property.id" label="in {{ property.caption }}" />
          }
        </rule-select>
        <label><rule-check [checked]="whole()" (flip)="whole.set($event); store.forget()" /> whole value</label>
        <label><rule-check [checked]="matchCase()" (flip)="matchCase.set($event); store.forget()" /> match case</label>
        <p-button type="submit" [label]="store.looking() ? 'Looking …' : 'Preview'" [disabled]="store.looking() || (find() === '' && !whole())" />
        <button type="button" class="link" (click)="closed.emit()">Close</button>
      </form>
      @if (store.found(); as list) {
        <p role="status">
          {{ list.more ? 'The first ' : '' }}{{ list.values.length | count: 'value' }} found, {{ store.good().length }} can be replaced.{{
            list.more ? ' Replace these, then search again.' : ''
          }}
          @if (store.good().length) {
            <p-button [label]="'Replace ' + (store.good().length | count: 'value')" (onClick)="all()" />
          }
        </p>
        <rule-table label="Values that would be replaced" [rows]="list.values" virtual height="220px">
          <ng-container *ruleColumn="let entry of list.values; name: 'File'; by: 'path'; width: 'minmax(180px, 1.5fr)'">
            <rule-file [id]="entry.file" [path]="entry.path" />
          </ng-container>
          <ng-container *ruleColumn="let entry of list.values; name: 'Property'">{{ captionOf(entry.property) }}</ng-container>
          <ng-container *ruleColumn="let entry of list.values; name: 'Now'; look: 'mono'; by: 'before'; tip: 'before'; width: 'minmax(110px, 1fr)'">
            {{ entry.before || '(blank)' }}
          </ng-container>
          <ng-container *ruleColumn="let entry of list.values; name: 'Then'; look: 'mono'; by: thenOf; tip: thenOf; width: 'minmax(110px, 1fr)'">
            <span [class.bad]="entry.problem">{{ thenOf(entry) || '(blank)' }}</span>
          </ng-container>
        </rule-table>
      }
    </section>
  `,
  styleUrl: './panel.css',
})
export class FindReplace {
  readonly filter = input.required<FileFilter>();
  /** Columns that can be typed into. */
  readonly columns = input.required<readonly Property[]>();
  readonly replace = output<{ readonly values: GridEdit[]; readonly reason: string }>();
  readonly closed = output();
  protected readonly store = inject(ReplaceStore);
  protected readonly find = signal('');
  protected readonly by = signal('');
  protected readonly where = signal('');
  protected readonly whole = signal(false);
  protected readonly matchCase = signal(false);

  /** Searches all files of the view, on the server. */
  protected look(): void {
    const properties = this.columns()
      .map((property) => property.id)
      .filter((id) => this.where() === '' || `${id}` === this.where());
    if (properties.length === 0) return;
    this.store.look({ filter: this.filter(), properties, find: this.find(), by: this.by(), whole: this.whole(), matchCase: this.matchCase() });
  }

  protected readonly thenOf = (entry: ReplacementLine): string => entry.problem ?? entry.after;
  protected captionOf(id: number): string {
    return this.columns().find((property) => property.id === id)?.caption ?? '';
  }

  protected all(): void {
    this.replace.emit({
      values: this.store.good().map(({ file, property, after }) => ({ file, property, text: after })),
      reason: `replaced ${JSON.stringify(this.find())} by ${JSON.stringify(this.by())}`.slice(0, 200),
    });
    this.store.forget();
  }
}
