import { ChangeDetectionStrategy, Component, computed, effect, inject, output, signal, untracked } from '@angular/core';
import { EFFECTS, Effect, TrySummary } from '@rule/contract';
import { sameDefinition } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleTable } from '../kit';
import { Count, FileLink, sessionFeature } from '../shared';
import { SchemaStore } from './schema.store';
import { TryGroup, TryStore } from './try.store';

/** Effects of a draft on values, in words. */
export const EFFECT_WORDS: Readonly<Record<Effect, { readonly title: string; readonly about: string; readonly tone: string }>> = {
  breaks: { title: 'would newly break', about: 'values that the edition in force accepts and the draft does not', tone: 'bad' },
  loses: { title: 'would lose their home', about: 'values under a name that the draft no longer uses', tone: 'warn' },
  changes: { title: 'would change by rule', about: 'values from rules, models or higher levels that files do not hold yet', tone: 'warn' },
  passes: { title: 'would newly pass', about: 'values that the draft accepts and the edition in force does not', tone: 'good' },
  shows: { title: 'would show something else', about: 'cells of title blocks; a text whose source is blank stays as it is', tone: 'warn' },
  records: { title: 'would come into records', about: 'record fields of the vault, after the next check-in', tone: 'warn' },
};

/** Results of trying a draft: what would break, pass, change or lose its home, by property and file, with repairs. */
@Component({
  selector: 'rule-schema-try',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [TryStore],
  imports: [RuleColumn, RuleTable, ButtonModule, Count, FileLink],
  template: `
    <div class="head">
      <div>
        <h1>Try the draft</h1>
        @if (summary(); as s) {
          <p class="soft">
            Edition {{ s.edition }} on {{ s.files }} files{{ s.by ? ', by ' + s.by : '' }}.
            @if (s.outdated) {
              <span class="warn">The draft has changed since.</span>
            }
          </p>
        } @else {
          <p class="soft">Checks every file against the edition in force and the draft. Nothing is changed.</p>
        }
      </div>
      @if (mayAdminister()) {
        <div class="actions">
          <p-button label="Try it on all files" [disabled]="!store.draft()?.number || trying.running()" [loading]="trying.running()" (onClick)="start()" />
        </div>
      }
    </div>
    @if (!store.draft()?.number) {
      <p class="note">There is no draft: this is the edition in force. Change a property to start a draft.</p>
    }
    @if (summary(); as s) {
      @if (s.done) {
        <div class="cards">
          @for (effect of effects; track effect) {
            <section class="card" [attr.aria-label]="words[effect].title">
              <h2 [class]="count(effect) ? words[effect].tone : ''">{{ count(effect) }} {{ words[effect].title }}</h2>
              <p class="soft">{{ words[effect].about }}</p>
              <ul>
                @for (row of of(effect); track $index) {
                  <li>
                    <button type="button" class="plain" [class.on]="isChosen(row)" (click)="choose(row)">
                      <span>{{ nameOf(row) }}</span> <b>{{ row.files | count: 'file' }}</b>
                    </button>
                  </li>
                }
              </ul>
            </section>
          }
        </div>
        @if (chosen(); as c) {
          <div class="head">
            <div>
              <h2>{{ nameOf(c) }}: {{ words[c.effect].title }}</h2>
              <p class="soft">
                {{ trying.total() | count: 'file' }}{{ trying.rows().length < trying.total() ? ', the first ' + trying.rows().length + ' shown' : '' }}.
              </p>
            </div>
            <div class="actions">
              @if (c.property !== null) {
                <p-button severity="secondary" label="Open the property" (onClick)="opened.emit(c.property)" />
                @if (c.effect !== 'passes' && mayAdminister()) {
                  <p-button label="Put repairs in the tray" [disabled]="s.outdated" (onClick)="trying.repair(s.id, c.effect, c.property!)" />
                }
              }
            </div>
          </div>
          <div class="card">
            <rule-table label="Effects on files" [rows]="trying.rows()">
              <ng-container *ruleColumn="let row of trying.rows(); name: 'File'; by: 'path'">
                <rule-file [id]="row.file" [path]="row.path" />
              </ng-container>
              <ng-container *ruleColumn="let row of trying.rows(); name: 'Now'; look: 'mono'; by: 'before'">{{ row.before ?? '—' }}</ng-container>
              <ng-container *ruleColumn="let row of trying.rows(); name: 'Would be'; look: 'mono'">
                {{ row.effect === 'changes' || row.effect === 'shows' || row.effect === 'records' ? (row.after ?? 'blank') : '' }}
              </ng-container>
              <ng-container *ruleColumn="let row of trying.rows(); name: 'Why'; by: 'message'">{{ row.message }}</ng-container>
            </rule-table>
          </div>
        }
      }
    }
  `,
  styles: `
    .cards {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 14px;
      margin-bottom: 18px;
    }
    section.card {
      padding: 12px 16px;
      margin: 0;
    }
    h2 {
      margin: 0;
    }
    ul {
      list-style: none;
      margin: 6px 0 0;
      padding: 0;
    }
    li button {
      display: flex;
      width: 100%;
      justify-content: space-between;
      gap: 12px;
      padding: 4px 6px;
      min-height: 28px;
      align-items: center;
    }
    li button:hover,
    li button.on {
      background: var(--verdigris-tint);
    }
  `,
})
export class SchemaTry {
  protected readonly store = inject(SchemaStore);
  protected readonly trying = inject(TryStore);
  readonly opened = output<number>();
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  protected readonly summary = computed(() => this.store.summary());
  protected readonly effects = EFFECTS;
  protected readonly words = EFFECT_WORDS;
  protected readonly chosen = signal<TryGroup | null>(null);

  constructor() {
    effect(() => {
      if (this.trying.ended())
        untracked(() => {
          this.trying.forgetJob();
          this.store.loadSummary();
        });
    });
    effect(() => {
      const [chosen, summary] = [this.chosen(), this.summary()];
      if (chosen && summary) untracked(() => this.trying.list({ ...chosen, run: summary.id }));
    });
  }

  protected of(effect: Effect): TrySummary['effects'] {
    return (this.summary()?.effects ?? []).filter((row) => row.effect === effect);
  }
  protected count(effect: Effect): number {
    return this.of(effect).reduce((sum, row) => sum + row.files, 0);
  }
  protected nameOf({ property, check, cell, record }: Omit<TryGroup, 'effect'>): string {
    if (cell !== null) return `cell ${cell}`;
    if (record !== null) return `record field ${record}`;
    const schema = this.store.draft()?.schema;
    if (check !== null) return schema?.checks.find((candidate) => candidate.id === check)?.title ?? `check ${check}`;
    return schema?.properties.find((candidate) => candidate.id === property)?.caption ?? `property ${property ?? ''}`;
  }
  protected isChosen(row: TryGroup): boolean {
    const chosen = this.chosen();
    return chosen?.effect === row.effect && sameDefinition({ ...chosen, files: 0 }, { ...row, files: 0 });
  }
  protected choose({ effect: wanted, property, check, cell, record }: TryGroup): void {
    this.chosen.set({ effect: wanted, property, check, cell, record });
  }
  protected start(): void {
    this.chosen.set(null);
    this.trying.start();
  }
}
