import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { LinkValues, VaultFile } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleColumn, RuleSelect, RuleTable } from '../kit';
import { afterTyping } from '../shared';
import { TriedValuesStore } from './answers.store';
import { DECISION_CHIP, DECISION_WORDS } from './decisions';

/** Typed sides of a link; absent sides are unchanged. */
interface Typed {
  readonly file?: string;
  readonly record?: string;
}

/** Tries other values on copies, with the outcome of the next check-in. */
@Component({
  selector: 'rule-try-values',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [TriedValuesStore],
  imports: [RuleColumn, RuleTable, ButtonModule, FormsModule, InputTextModule, RuleSelect],
  template: `
    <section class="card" aria-labelledby="try-title">
      <h2 id="try-title">Try other values</h2>
      <p class="soft">Type what the file or the record would hold. The outcome is decided as in a check-in; nothing is written.</p>
      <div class="bar">
        <span id="try-state" class="soft">State in the vault</span>
        <rule-select labelledBy="try-state" [options]="[...states()]" [ngModel]="state()" (ngModelChange)="state.set($event); ask()" />
        <p-button [text]="true" size="small" label="As they are" [disabled]="!changed()" (onClick)="reset()" />
      </div>
      @if (tried.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      <rule-table label="Values that are tried" [rows]="record().values">
        <ng-container *ruleColumn="let v of record().values; name: 'Record field'">{{ v.link.field }}</ng-container>
        @for (side of sides; track side) {
          <ng-container *ruleColumn="let v of record().values; name: side === 'file' ? 'File' : 'Record'">
            <input
              pInputText
              pSize="small"
              class="mono"
              [class.typed]="isTyped(v, side)"
              [attr.aria-label]="v.link.field + (side === 'file' ? ', file' : ', record')"
              [ngModel]="typed()[v.link.id]?.[side] ?? v[side] ?? ''"
              (ngModelChange)="type(v, side, $event)"
            />
          </ng-container>
        }
        <ng-container *ruleColumn="let v of record().values; name: 'Last agreed'; look: 'mono'">
          {{ v.agreed === undefined ? 'never' : (v.agreed ?? '—') }}
        </ng-container>
        <ng-container *ruleColumn="let v of record().values; name: 'Next check-in'">
          @let o = outcome(v);
          <span class="chip" [class]="'chip ' + chip(o)">{{ words(o) }}</span>
          <small class="soft">{{ o.decision.reason }}</small>
          @if (o.refused) {
            <small class="bad">{{ o.refused }}</small>
          }
        </ng-container>
      </rule-table>
    </section>
  `,
  styles: `
    .bar {
      display: flex;
      gap: 8px;
      align-items: center;
      margin: 8px 0;
    }
    input {
      width: 100%;
      min-width: 90px;
    }
    .typed {
      border-color: var(--brass);
    }
    rule-table small {
      display: block;
    }
  `,
})
export class TryValues {
  protected readonly tried = inject(TriedValuesStore);
  readonly record = input.required<VaultFile>();
  /** Workflow states. */
  readonly states = input.required<readonly string[]>();
  protected readonly sides = ['file', 'record'] as const;
  protected readonly state = linkedSignal(() => this.record().state);
  protected readonly typed = linkedSignal<VaultFile, Readonly<Record<number, Typed>>>({ source: () => this.record(), computation: () => ({}) });
  protected readonly changed = computed(() => Object.keys(this.typed()).length > 0 || this.state() !== this.record().state);
  private readonly soon = afterTyping();

  constructor() {
    effect(() => {
      this.record();
      untracked(() => this.tried.ask(null));
    });
  }

  protected outcome = (v: LinkValues): LinkValues => this.tried.answer()?.find((other) => other.link.id === v.link.id) ?? v;
  protected isTyped = (v: LinkValues, side: 'file' | 'record'): boolean => this.typed()[v.link.id]?.[side] !== undefined;
  protected words = (v: LinkValues): string => DECISION_WORDS[v.decision.action];
  protected chip = (v: LinkValues): string => DECISION_CHIP[v.decision.action];

  protected type(v: LinkValues, side: 'file' | 'record', text: string): void {
    const { [v.link.id]: own, ...rest } = this.typed();
    const next = { ...own, [side]: text };
    if (text === (v[side] ?? '')) delete next[side];
    this.typed.set(Object.keys(next).length ? { ...rest, [v.link.id]: next } : rest);
    this.soon(() => this.ask());
  }

  protected reset(): void {
    this.typed.set({});
    this.state.set(this.record().state);
    this.ask();
  }

  protected ask(): void {
    this.soon(null);
    const edits = Object.entries(this.typed()).map(([link, typed]) => ({ link: Number(link), ...typed }));
    this.tried.ask({ file: this.record().file.id, state: this.state(), edits });
  }
}
