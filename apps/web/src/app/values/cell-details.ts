import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output } from '@angular/core';
import { UpToDate } from '@rule/contract';
import { whyNotTyped } from '@rule/core/schema';
import { ExactName, FileLink, Way, lockWords, plainHeld } from '../shared';
import { ChosenCell, holderOf } from './grid';
import { CellStore } from './cell.store';
import { Why } from './why';

/** A selected cell: its value, its problems, where the value comes from and where it goes; or everything of its file. */
@Component({
  selector: 'rule-cell-details',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExactName, FileLink, Way, Why],
  template: `
    @if (cell(); as c) {
      <h2>{{ c.row.file.name }}{{ c.row.holder ? ' · ' + c.row.holder.label : '' }}</h2>
      <p class="soft path"><rule-file [id]="c.row.file.id" [path]="c.row.file.path" /></p>
      @if (c.row.file.problem) {
        <p class="note bad">{{ c.row.file.problem }}</p>
      }
      @if (c.row.file.lock) {
        <p class="note">The file {{ lockWords(c.row.file) }}. It cannot be written.</p>
      }
      @if (c.property; as property) {
        <dl>
          <dt>{{ property.caption }}</dt>
          <dd>
            @if (c.shown?.kind === 'not-reached') {
              <span class="soft">does not apply to a {{ c.row.holder?.level ?? c.row.file.kind }}</span>
            } @else {
              <span class="mono">{{ show(c.held) }}</span>
            }
          </dd>
          @if (c.pending) {
            <dt>In the file</dt>
            <dd class="mono">{{ show(c.pending.current) }}</dd>
          }
        </dl>
        @for (violation of c.shown?.violations ?? []; track violation.code) {
          <p class="note" [class.bad]="violation.code !== 'stale'">
            {{ property.caption }} {{ violation.message }}.
            @if (violation.code === 'stale' && mayEdit() && !c.row.file.lock) {
              <button type="button" class="link" (click)="renew.emit({ files: [c.row.file.id], properties: [property.id] })">Bring up to date</button>
            }
          </p>
        }
        @if (whyNotTyped(property, c.row.file.kind); as reason) {
          <p class="soft">{{ property.caption }} {{ reason }}.</p>
        }
        @if (property.help) {
          <p class="soft">{{ property.help }}</p>
        }
        @if (c.shown?.kind !== 'not-reached' && !c.row.file.problem && !inside()) {
          <rule-why [file]="c.row.file.id" [property]="property.id" />
        }
        <rule-way [property]="property.id" />
      } @else if (store.details(); as d) {
        @for (note of d.notes; track $index) {
          <p class="note bad">{{ note }}</p>
        }
        @if (d.model) {
          <p class="soft">
            @switch (d.model.state) {
              @case ('matched') {
                Shows <rule-file [id]="d.model.file" [path]="d.paths[d.model.file] ?? ''" />, by {{ d.model.by }}.
              }
              @case ('ambiguous') {
                <span class="bad">{{ d.model.candidates.length }} files could be its model. Settle it in Title blocks.</span>
              }
              @default {
                <span class="bad">The model that it shows is not in the library.</span>
              }
            }
          </p>
        }
        @for (holder of d.holders; track holder.key) {
          @if (holder.values.length) {
            <h3 class="level">{{ holder.level }} {{ holder.level === 'document' ? '' : holder.label }}</h3>
            <dl>
              @for (value of holder.values; track value.place + value.name) {
                <dt><rule-exact-name [name]="value.name" /></dt>
                <dd class="mono">{{ show(value.held) }}</dd>
              }
            </dl>
          }
        }
      }
    } @else {
      <p class="soft">Select a cell for its value, problems and trace. Select a file name for the whole file.</p>
    }
  `,
  styles: `
    .path {
      margin: -4px 0 10px;
      overflow-wrap: anywhere;
    }
    dl {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 3px 10px;
      margin: 0 0 10px;
    }
    dt {
      color: var(--soft);
      overflow: hidden;
      text-overflow: ellipsis;
    }
    dd {
      margin: 0;
      overflow-wrap: anywhere;
    }
    .level {
      margin: 10px 0 4px;
    }
  `,
})
export class CellDetails {
  readonly cell = input.required<ChosenCell | null>();
  readonly mayEdit = input(false);
  readonly renew = output<UpToDate>();
  protected readonly store = inject(CellStore);
  protected readonly lockWords = lockWords;
  protected readonly whyNotTyped = whyNotTyped;
  protected readonly show = plainHeld;
  /** Whether the value is of a holder inside its file. */
  protected readonly inside = computed(() => {
    const cell = this.cell();
    return !!cell?.property && holderOf(cell.row, cell.property) !== '';
  });

  constructor() {
    effect(() => {
      const cell = this.cell();
      if (cell && !cell.property) this.store.loadDetails(cell.row.file.id);
    });
  }
}
