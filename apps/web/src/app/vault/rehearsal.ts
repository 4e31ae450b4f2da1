import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { KeptRehearsalView, RUN_CLASHES, RehearsedFile, RunKind, VaultRun, VaultRunResult } from '@rule/contract';
import { count } from '@rule/core/words';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleColumn, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { Count, FileLink, showInstant } from '../shared';
import { RunResult } from './run-result';

const CLASH_WORDS: Readonly<Record<VaultRun['clash'], string>> = {
  'leave out': 'leave the file out',
  file: "take the file's value",
  record: "take the record's value",
};

/** Runs available for selected files, with button labels. */
const RUNS: readonly { readonly value: RunKind; readonly text: string; readonly label: string }[] = [
  { value: 'check in', text: 'check in', label: 'Check in' },
  { value: 'records to files', text: 'records to files, no check-in', label: 'Pass records to' },
  { value: 'files to records', text: 'files to records, no new version', label: 'Pass to records:' },
  { value: 'get newest', text: 'get the newest versions', label: 'Get the newest of' },
  { value: 'check out', text: 'check out', label: 'Check out' },
  { value: 'undo check-out', text: 'undo check-out', label: 'Undo the check-out of' },
];

/** Whether there is anything to check in. */
const acts = (row: RehearsedFile) => row.changed || row.counts.in + row.counts.out + row.counts.ask + (row.cells ?? 0) > 0;

/** Rehearsal and runs over many files. */
@Component({
  selector: 'rule-vault-rehearsal',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, ButtonModule, RuleCheck, Count, FileLink, FormsModule, InputTextModule, RunResult, RuleSelect],
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
          <p-button severity="secondary" label="Keep" ariaLabel="Keep this rehearsal" (onClick)="naming.set(!naming())" />
        </div>
      }
    </div>
    @if (!kept() && editable()) {
      <div class="bar">
        <rule-select ariaLabel="What is done" [options]="runs" optionLabel="text" optionValue="value" [ngModel]="kind()" (ngModelChange)="kind.set($event)" />
        @if (!['check out', 'undo check-out', 'get newest'].includes(kind())) {
          <span id="run-clash" class="soft">Where both changed</span>
          <rule-select labelledBy="run-clash" [options]="clashes" optionLabel="text" optionValue="value" [(ngModel)]="clash" />
        }
        @if (kind() === 'check in') {
          <span class="tick">
            <label><rule-check [checked]="titleBlocks" (flip)="titleBlocks = $event" /> Put stale title blocks right</label>
          </span>
        }
        <p-button
          [label]="labelOf(kind()) + ' ' + (chosen().size | count: 'file')"
          [disabled]="chosen().size === 0 || running()"
          [loading]="running()"
          (onClick)="started.emit({ kind: kind(), files: [...chosen()], clash, titleBlocks })"
        />
      </div>
    }
    @if (naming() && !kept()) {
      <form class="keep" (submit)="keep(); $event.preventDefault()">
        <label class="field"><span>Title</span><input pInputText name="title" [(ngModel)]="title" placeholder="Before going live" /></label>
        <p-button type="submit" label="Keep this rehearsal" [disabled]="!title.trim()" />
        <p-button [text]="true" label="Cancel" (onClick)="naming.set(false)" />
      </form>
    }
    @if (!kept() && result(); as r) {
      <rule-run-result [result]="r" [editable]="editable()" (retried)="retry($event)" />
    }
    <ng-template #choosing>
      @if (editable() && !kept()) {
        <rule-check ariaLabel="Choose all that can be checked in" [checked]="all()" (flip)="chooseAll($event)" />
      } @else {
        <span class="visually-hidden">Chosen</span>
      }
    </ng-template>
    @if (kept() || rows()) {
      <rule-table
        class="card"
        label="Files of the vault"
        [rows]="shown()"
        key="file"
        virtual
        height="58vh"
        empty="Every file of the vault agrees with its record."
      >
        <ng-container *ruleColumn="let row of shown(); head: choosing; width: '36px'; look: 'box'">
          @if (editable() && !kept() && choosable(row)) {
            <rule-check [ariaLabel]="'Choose ' + row.path" [checked]="chosen().has(row.file)" (flip)="choose(row.file, $event)" />
          }
        </ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'File'; by: 'path'; width: 'minmax(180px, 1.5fr)'">
          <rule-file [id]="row.file" [path]="row.path" />
        </ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'State'; by: 'state'; width: '72px'">{{ row.state }}</ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'Bytes'; by: 'changed'; width: '62px'">{{ row.changed ? 'changed' : '' }}</ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'Into record'; by: comesIn; width: '86px'">{{ row.counts.in || '' }}</ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'Into file'; by: goesOut; width: '66px'">{{ row.counts.out || '' }}</ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'Asks'; by: asks; width: '46px'">
          <span [class.warn]="row.counts.ask">{{ row.counts.ask || '' }}</span>
        </ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'What'; tip: why; width: 'minmax(140px, 2fr)'">
          <span [class.bad]="row.blocked">{{ why(row) }}</span>
        </ng-container>
      </rule-table>
    } @else {
      <rule-waiting />
    }
    <div class="tick">
      <label><rule-check [checked]="quietly()" (flip)="quietly.set($event)" /> Show files with nothing to check in too</label>
    </div>
  `,
  styles: `
    .bar {
      display: flex;
      gap: 8px;
      align-items: center;
      margin-bottom: 12px;
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
  /** The displayed kept rehearsal, instead of the current one. */
  readonly kept = input<KeptRehearsalView | null>(null);
  /** Whether others' rehearsals may be removed. */
  readonly removable = input(false);
  readonly started = output<VaultRun>();
  readonly keeping = output<string>();
  readonly sent = output<number>();
  readonly removed = output<number>();
  protected readonly when = showInstant;
  protected readonly naming = signal(false);
  protected title = '';
  protected readonly clashes = RUN_CLASHES.map((value) => ({ value, text: CLASH_WORDS[value] }));
  protected clash: VaultRun['clash'] = 'leave out';
  protected titleBlocks = true;
  protected readonly runs = [...RUNS];
  protected readonly kind = signal<RunKind>('check in');
  protected readonly quietly = signal(false);
  private readonly picked = signal<ReadonlySet<number>>(new Set());

  private readonly told = computed(() => this.kept()?.rows ?? this.rows() ?? []);
  protected readonly open = computed(() => this.told().filter(acts));
  protected readonly shown = computed(() => (this.quietly() ? this.told() : this.open()));
  protected readonly blocked = computed(() => this.open().filter((row) => row.blocked).length);
  private readonly ready = computed(() => this.shown().filter((row) => this.choosable(row)));
  /** Blocked files can still be fetched or released. */
  protected choosable(row: RehearsedFile): boolean {
    return this.kind() !== 'check in' || !row.blocked;
  }
  /** Selected files that can still be checked in. */
  protected readonly chosen = computed(() => new Set(this.ready().flatMap((row) => (this.picked().has(row.file) ? [row.file] : []))));
  protected readonly all = computed(() => this.ready().length > 0 && this.chosen().size === this.ready().length);

  protected keep(): void {
    if (!this.title.trim()) return;
    this.keeping.emit(this.title.trim());
    this.title = '';
    this.naming.set(false);
  }
  protected readonly comesIn = (row: RehearsedFile): number => row.counts.in;
  protected readonly goesOut = (row: RehearsedFile): number => row.counts.out;
  protected readonly asks = (row: RehearsedFile): number => row.counts.ask;
  /** Retries failed files with the same options. */
  protected retry({ kind, rows }: VaultRunResult): void {
    this.started.emit({
      kind,
      files: rows.filter((row) => row.outcome === 'left out').map((row) => row.file),
      clash: this.clash,
      titleBlocks: this.titleBlocks,
    });
  }
  protected labelOf = (kind: RunKind): string => RUNS.find((entry) => entry.value === kind)!.label;
  protected readonly why = (row: RehearsedFile): string => {
    const cells = row.cells ? [`${count(row.cells, 'title block text is', 'title block texts are')} stale`] : [];
    return row.blocked ?? [...row.told.map((entry) => `${entry.field}: ${entry.reason}`), ...cells].join('; ');
  };
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
