import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output, signal } from '@angular/core';
import { CheckInReport, LinkValues, VaultFile } from '@rule/contract';
import { count } from '@rule/core/words';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleRadio, RuleTable } from '../kit';
import { ExactName, FileLink, standingWords } from '../shared';
import { DECISION_CHIP, DECISION_WORDS } from './decisions';
import { TryValues } from './try-values';

/** Decisions on differences, by link number. */
export type Settled = Readonly<Record<string, 'file' | 'record'>>;

/** A file beside its record: outcomes of the next check-in and open decisions. */
@Component({
  selector: 'rule-vault-record',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, ButtonModule, ExactName, FileLink, RuleRadio, TryValues],
  template: `
    @let r = record();
    <div class="head">
      <div>
        <h1><rule-file [id]="r.file.id" [path]="r.file.path" [text]="r.file.name" /></h1>
        <p>{{ standing() }}. What the next check-in would do with each link:</p>
      </div>
      <div class="actions">
        @if (r.values.length) {
          <p-button
            severity="secondary"
            [label]="trying() ? 'Hide tried values' : 'Try other values'"
            [attr.aria-expanded]="trying()"
            (onClick)="trying.set(!trying())"
          />
        }
        @if (editable()) {
          <p-button [label]="label()" [loading]="busy()" [disabled]="closed() || undecided() > 0 || refused() > 0" (onClick)="checkIn.emit(settled())" />
        }
      </div>
    </div>
    @if (reportText(); as text) {
      <p class="note" role="status">{{ text }}</p>
    }
    @if (r.state === 'released') {
      <p class="note">The file is released. Released files cannot be checked in; change their state in the vault first.</p>
    }
    @if (adds().length) {
      <p class="note">The next check-in adds {{ adds().join(', ') }} to the file: it has no such name yet.</p>
    }
    <div class="card wide">
      <rule-table label="Linked values" [rows]="r.values" [empty]="'No record fields are linked for a ' + r.file.kind + '.'" [look]="asked">
        <ng-container *ruleColumn="let v of r.values; name: 'Record field'">{{ v.link.field }}</ng-container>
        <ng-container *ruleColumn="let v of r.values; name: 'Address in the file'">
          <rule-exact-name [name]="v.name" />
          @if (ofModel(v)) {
            <small class="soft">of the model</small>
          }
        </ng-container>
        <ng-container *ruleColumn="let v of r.values; name: 'File'; look: 'mono nowrap'">{{ v.file ?? '—' }}</ng-container>
        <ng-container *ruleColumn="let v of r.values; name: 'Record'; look: 'mono nowrap'">{{ v.record ?? '—' }}</ng-container>
        <ng-container *ruleColumn="let v of r.values; name: 'Last agreed'; look: 'mono nowrap'">
          {{ v.agreed === undefined ? 'never' : (v.agreed ?? '—') }}
        </ng-container>
        <ng-container *ruleColumn="let v of r.values; name: 'Next check-in'">
          @if (v.decision.action === 'ask') {
            @for (side of sides; track side) {
              <label class="side">
                <rule-radio [name]="'settle-' + v.link.id" [checked]="settled()[v.link.id] === side" [disabled]="!editable()" (choose)="settle(v, side)" />
                {{ takeText(v, side) }}
              </label>
            }
          } @else {
            <span [class]="'chip ' + chip(v)">{{ actionName(v) }}</span>
          }
          <small class="soft">{{ v.decision.reason }}</small>
          @if (v.refused) {
            <small class="bad">{{ v.refused }}</small>
          }
        </ng-container>
      </rule-table>
    </div>
    @if (trying()) {
      <rule-try-values [record]="r" [states]="states()" />
    }
    @if (others().length) {
      <h2>Other fields of the record</h2>
      <dl class="facts">
        @for (entry of others(); track entry.field) {
          <div>
            <dt>{{ entry.field }}</dt>
            <dd>{{ entry.value }}</dd>
          </div>
        }
      </dl>
    }
  `,
  styles: `
    .wide {
      overflow-x: auto;
    }
    .nowrap {
      white-space: nowrap;
    }
    rule-table small {
      display: block;
    }
    .side {
      display: inline-flex;
      gap: 5px;
      align-items: center;
      margin-right: 12px;
      white-space: nowrap;
    }
    h2 {
      margin: 18px 0 6px;
    }
    .facts {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 28px;
      margin: 0;
    }
    .facts div {
      display: flex;
      gap: 8px;
    }
    .facts dt {
      color: var(--soft);
    }
    .facts dd {
      margin: 0;
    }
  `,
})
export class VaultRecord {
  readonly record = input.required<VaultFile>();
  readonly report = input<CheckInReport | null>(null);
  readonly busy = input(false);
  readonly editable = input(false);
  /** Workflow states. */
  readonly states = input<readonly string[]>([]);
  readonly checkIn = output<Settled>();
  protected readonly asked = ({ decision }: LinkValues): string => (decision.action === 'ask' ? 'on' : '');
  protected readonly trying = signal(false);
  protected readonly sides = ['file', 'record'] as const;
  /** Decisions for the displayed file and state; reset for others. */
  protected readonly settled = linkedSignal<VaultFile, Settled>({ source: () => this.record(), computation: () => ({}) });

  protected readonly standing = computed(() => standingWords(this.record()));
  protected readonly closed = computed(() => this.record().state === 'released' || (!!this.record().checkedOutBy && this.record().checkedOutBy !== 'Rule'));
  protected readonly undecided = computed(() => this.record().values.filter((v) => v.decision.action === 'ask' && !this.settled()[v.link.id]).length);
  protected readonly refused = computed(() => this.record().values.filter((v) => v.refused !== null).length);
  protected readonly adds = computed(() => this.record().values.flatMap((v) => (v.adds ? [v.name] : [])));
  protected readonly others = computed(() => {
    const linked = new Set(this.record().values.map((v) => v.link.field));
    return Object.entries(this.record().record)
      .filter(([field]) => !linked.has(field))
      .map(([field, value]) => ({ field, value }))
      .sort((a, b) => a.field.localeCompare(b.field));
  });
  protected readonly label = computed(() => {
    const that = (action: LinkValues['decision']['action']) => this.record().values.filter((v) => v.decision.action === action).length;
    if (this.refused()) return `${this.refused()} cannot pass`;
    return this.undecided() ? `Decide ${this.undecided()} first` : `Check in (${that('in')} in, ${that('out')} out)`;
  });
  protected readonly reportText = computed(() => {
    const report = this.report();
    if (!report) return null;
    const set = report.changeSet ? `, change set ${report.changeSet}` : '';
    return `Checked in as version ${report.version}: ${count(report.recordChanges, 'record field')} and ${count(report.fileChanges, 'file value')} changed${set}.`;
  });

  protected ofModel = (v: LinkValues): boolean => v.end !== null && 'of' in v.end && v.end.of === 'model';
  protected actionName = (v: LinkValues): string => DECISION_WORDS[v.decision.action];
  protected chip = (v: LinkValues): string => DECISION_CHIP[v.decision.action];
  /** Effect of taking one side; a blank erases the other. */
  protected takeText(v: LinkValues, side: 'file' | 'record'): string {
    const [taken, other] = side === 'file' ? [v.file, v.record] : [v.record, v.file];
    return taken ? `take ${taken}` : `erase ${other ?? ''}`;
  }
  protected settle(v: LinkValues, side: 'file' | 'record'): void {
    this.settled.update((settled) => ({ ...settled, [v.link.id]: side }));
  }
}
