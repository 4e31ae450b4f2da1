import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileFilter } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import { Count, FileLink } from '../shared';
import { GridEdit } from './grid';
import { ReplaceStore } from './replace.store';

/** Finds texts in the files of the view and replaces them, after a preview. */
@Component({
  selector: 'rule-find-replace',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, Count, FileLink, FormsModule, InputTextModule, RuleCheck, RuleOption, RuleSelect],
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
        <div class="found">
          <table class="list">
            <thead>
              <tr>
                <th>File</th>
                <th>Property</th>
                <th>Now</th>
                <th>Then</th>
              </tr>
            </thead>
            <tbody>
              @for (entry of list.values.slice(0, 200); track entry.file + '/' + entry.property) {
                <tr>
                  <td><rule-file [id]="entry.file" [path]="entry.path" /></td>
                  <td>{{ captionOf(entry.property) }}</td>
                  <td class="mono">{{ entry.before || '(blank)' }}</td>
                  <td class="mono" [class.bad]="entry.problem">{{ entry.problem ?? (entry.after || '(blank)') }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (list.values.length > 200) {
            <p class="soft">The first 200 are shown.</p>
          }
        </div>
      }
    </section>
  `,
  styleUrl: './panel.css',
  styles: `
    .found {
      max-height: 220px;
      overflow: auto;
    }
  `,
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
