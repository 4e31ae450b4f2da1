import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { KeptRehearsalView, RUN_CLASHES, RehearsedFile, VaultRun, VaultRunResult } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { CheckboxModule } from 'primeng/checkbox';
import { InputTextModule } from 'primeng/inputtext';
import { SelectModule } from 'primeng/select';
import { Count, FileLink, showInstant } from '../shared';

const CLASH_WORDS: Readonly<Record<VaultRun['clash'], string>> = {
  'leave out': 'leave the file out',
  file: "take the file's value",
  record: "take the record's value",
};

/** Whether a file has something to check in. */
const acts = (row: RehearsedFile) => row.changed || row.counts.in + row.counts.out + row.counts.ask > 0;

/** Many files of the vault: what checking them in would do, and what came of it. */
@Component({
  selector: 'rule-vault-rehearsal',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, CheckboxModule, Count, FileLink, FormsModule, InputTextModule, ScrollingModule, SelectModule],
  template: `
    <div class="head">
      <div>
        <h1>{{ kept()?.title ?? 'Rehearsal' }}</h1>
        @if (kept(); as k) {
          <p>
            Kept on {{ when(k.at) }} by {{ k.by }}{{ k.edition ? ', edition ' + k.edition : '' }}. {{ open().length | count: 'file' }} of {{ k.files }} had
            something to check in, {{ k.asks | count: 'value was' : 'values were' }} to be decided, {{ k.blocked | count: 'file' }} could not be checked in.
          </p>
        } @else {
          <p>
            What checking in would do, by what the vault said last. Nothing is written. {{ open().length | count: 'file has' : 'files have' }} something to
            check in{{ blocked() ? ', ' + blocked() + ' of them cannot be checked in now' : '' }}.
          </p>
        }
      </div>
      @if (kept(); as k) {
        <div class="actions">
          <p-button severity="secondary" label="Send out as CSV" (onClick)="sent.emit(k.id)" />
          @if (k.mine || removable()) {
            <p-button [text]="true" label="Remove" (onClick)="removed.emit(k.id)" />
          }
        </div>
      } @else if (editable()) {
        <div class="actions">
          <span id="run-clash" class="soft">Where both changed</span>
          <p-select appendTo="body" ariaLabelledBy="run-clash" [options]="clashes" optionLabel="text" optionValue="value" [(ngModel)]="clash" />
          <p-button
            [label]="'Check in ' + (chosen().size | count: 'file')"
            [disabled]="chosen().size === 0 || running()"
            [loading]="running()"
            (onClick)="started.emit({ files: [...chosen()], clash })"
          />
          <p-button severity="secondary" label="Keep" ariaLabel="Keep this rehearsal" (onClick)="naming.set(!naming())" />
        </div>
      }
    </div>
    @if (naming() && !kept()) {
      <form class="keep" (submit)="keep(); $event.preventDefault()">
        <label class="field"><span>Title</span><input pInputText name="title" [(ngModel)]="title" placeholder="Before going live" /></label>
        <p-button type="submit" label="Keep this rehearsal" [disabled]="!title.trim()" />
        <p-button [text]="true" label="Cancel" (onClick)="naming.set(false)" />
      </form>
    }
    @if (!kept() && result(); as r) {
      <section class="card result" aria-label="Last run">
        <p>
          <b>{{ r.rows.length | count: 'file' }}</b>: {{ countOf('checked in') }} checked in, {{ countOf('nothing to do') }} with nothing to do,
          {{ countOf('left out') }} left out.
          @if (failed().length && editable()) {
            <button type="button" class="link" (click)="started.emit({ files: failed(), clash })">Retry {{ failed().length | count: 'file' }}</button>
          }
        </p>
        <ul>
          @for (row of leftOut(); track row.file) {
            <li><rule-file [id]="row.file" [path]="row.path" /> {{ row.message }}</li>
          }
        </ul>
      </section>
    }
    <div
      class="card lines"
      role="table"
      aria-label="Files of the vault"
      [attr.aria-rowcount]="shown().length"
      style="--columns: 36px minmax(180px, 1.5fr) 72px 62px 86px 66px 46px minmax(140px, 2fr)"
    >
      <div class="row header" role="row">
        <span role="columnheader">
          @if (editable() && !kept()) {
            <p-checkbox ariaLabel="Choose all that can be checked in" [binary]="true" [ngModel]="all()" (ngModelChange)="chooseAll($event)" />
          } @else {
            <span class="visually-hidden">Chosen</span>
          }
        </span>
        @for (header of headers; track header) {
          <span role="columnheader">{{ header }}</span>
        }
      </div>
      @if (shown().length) {
        <cdk-virtual-scroll-viewport itemSize="32" role="rowgroup" [style.height]="'min(58vh, ' + 32 * shown().length + 'px)'">
          <div class="row" role="row" *cdkVirtualFor="let row of shown(); trackBy: byFile">
            <span role="cell">
              @if (editable() && !row.blocked && !kept()) {
                <p-checkbox [ariaLabel]="'Choose ' + row.path" [binary]="true" [ngModel]="chosen().has(row.file)" (ngModelChange)="choose(row.file, $event)" />
              }
            </span>
            <span role="cell"><rule-file [id]="row.file" [path]="row.path" /></span>
            <span role="cell">{{ row.state }}</span>
            <span role="cell">{{ row.changed ? 'changed' : '' }}</span>
            <span role="cell">{{ row.counts.in || '' }}</span>
            <span role="cell">{{ row.counts.out || '' }}</span>
            <span role="cell" [class.warn]="row.counts.ask">{{ row.counts.ask || '' }}</span>
            <span role="cell" [class.bad]="row.blocked" [title]="why(row)">{{ why(row) }}</span>
          </div>
        </cdk-virtual-scroll-viewport>
      } @else if (kept() || rows()) {
        <p class="soft none">Every file of the vault agrees with its record.</p>
      } @else {
        <span class="skeleton"></span><span class="skeleton"></span>
      }
    </div>
    <div class="tick">
      <p-checkbox inputId="run-quiet" [binary]="true" [ngModel]="quietly()" (ngModelChange)="quietly.set($event)" /><label for="run-quiet"
        >Show files with nothing to check in too</label
      >
    </div>
  `,
  styles: `
    .result {
      padding: 10px 14px;
      margin-bottom: 12px;
      max-height: 22vh;
      overflow: auto;
    }
    .result p,
    .result ul {
      margin: 0;
    }
    .keep {
      display: flex;
      gap: 12px;
      align-items: end;
      margin-bottom: 12px;
    }
    .keep .field {
      margin: 0;
      width: 320px;
    }
    .none {
      padding: 0 12px;
    }
    .tick {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
  `,
})
export class VaultRehearsal {
  readonly rows = input.required<readonly RehearsedFile[] | null>();
  readonly result = input<VaultRunResult | null>(null);
  readonly running = input(false);
  readonly editable = input(false);
  /** A kept rehearsal that is shown instead of the present one. */
  readonly kept = input<KeptRehearsalView | null>(null);
  /** Whether kept rehearsals of others may be removed. */
  readonly removable = input(false);
  readonly started = output<VaultRun>();
  readonly keeping = output<string>();
  readonly sent = output<number>();
  readonly removed = output<number>();
  protected readonly when = showInstant;
  protected readonly naming = signal(false);
  protected title = '';
  protected readonly headers = ['File', 'State', 'Bytes', 'Into record', 'Into file', 'Asks', 'What'];
  protected readonly clashes = RUN_CLASHES.map((value) => ({ value, text: CLASH_WORDS[value] }));
  protected clash: VaultRun['clash'] = 'leave out';
  protected readonly quietly = signal(false);
  private readonly picked = signal<ReadonlySet<number>>(new Set());

  private readonly told = computed(() => this.kept()?.rows ?? this.rows() ?? []);
  protected readonly open = computed(() => this.told().filter(acts));
  protected readonly shown = computed(() => (this.quietly() ? this.told() : this.open()));
  protected readonly blocked = computed(() => this.open().filter((row) => row.blocked).length);
  private readonly ready = computed(() => this.shown().filter((row) => !row.blocked));
  /** Files that are chosen and can still be checked in. */
  protected readonly chosen = computed(() => new Set(this.ready().flatMap((row) => (this.picked().has(row.file) ? [row.file] : []))));
  protected readonly all = computed(() => this.ready().length > 0 && this.chosen().size === this.ready().length);
  protected readonly leftOut = computed(() => this.result()?.rows.filter((row) => row.outcome === 'left out') ?? []);
  protected readonly failed = computed(() => this.leftOut().map((row) => row.file));

  protected keep(): void {
    if (!this.title.trim()) return;
    this.keeping.emit(this.title.trim());
    this.title = '';
    this.naming.set(false);
  }
  protected byFile = (_: number, row: RehearsedFile) => row.file;
  protected countOf = (outcome: string) => this.result()?.rows.filter((row) => row.outcome === outcome).length ?? 0;
  protected why(row: RehearsedFile): string {
    return row.blocked ?? row.told.map((entry) => `${entry.field}: ${entry.reason}`).join('; ');
  }
  protected choose(file: number, on: boolean): void {
    const picked = new Set(this.picked());
    if (on) picked.add(file);
    else picked.delete(file);
    this.picked.set(picked);
  }
  protected chooseAll(on: boolean): void {
    this.picked.set(on ? new Set(this.ready().map((row) => row.file)) : new Set());
  }
}
