import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { RuleColumn, RuleTable, RuleWaiting } from '../kit';
import { Bench, Count, ExactName, PendingStore, jobsFeature, lockWords, showInstant, trayFeature } from '../shared';
import { AboutValue } from './about-value';
import { CopyValues } from './copy-values';
import { FileStore } from './file.store';
import { HeldThere } from './known';
import { plain } from './plain';
import { FileShape } from './shape';
import { FileUses } from './uses';
import { FileValues } from './values';

/** The page of one file: picture, values with origin and state, uses, drawings, history. */
@Component({
  selector: 'rule-file-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [FileStore],
  imports: [RuleColumn, RuleTable, RuleWaiting, AboutValue, Bench, CopyValues, Count, ExactName, FileShape, FileUses, FileValues, RouterLink],
  template: `
    <rule-bench label="File" [index]="false">
      @if (store.error(); as text) {
        <h1>File</h1>
        <p class="note bad" role="alert">{{ text }}</p>
      } @else if (store.details(); as d) {
        <div class="head">
          <div>
            <h1>{{ d.file.name }}</h1>
            <p class="path">{{ d.file.libraryName }}: {{ d.file.path }}</p>
          </div>
          <div class="actions">
            @if (!d.file.problem) {
              <a [routerLink]="['/values']" [queryParams]="{ fill: 'files:' + d.file.id }">Fill in …</a>
            }
            <span class="chip">{{ d.file.kind }}</span>
            @if (d.file.class) {
              <span class="chip brass">{{ d.file.class }}</span>
            }
            @if (pending()) {
              <span class="chip warn">{{ pending() | count: 'pending change' }}</span>
            }
          </div>
        </div>
        @if (d.file.problem) {
          <p class="note bad">{{ d.file.problem }}</p>
        }
        @if (d.file.lock) {
          <p class="note">The file {{ lockWords(d.file) }}. It cannot be written.</p>
        }
        @for (note of d.notes; track $index) {
          <p class="note">{{ note }}</p>
        }
        @for (missing of d.missingCells; track missing.block + missing.layout) {
          <p class="note">
            On the sheet {{ missing.layout }} the {{ missing.block }} lacks {{ missing.tags.join(', ') }}: its block has gained
            {{ missing.tags.length === 1 ? 'that cell' : 'those cells' }} after it was placed.
          </p>
        }
        <div class="columns">
          <div>
            <rule-file-values
              [details]="d"
              [chosen]="chosen()"
              [copied]="copied()"
              (choose)="chosen.set($event)"
              (tick)="tick($event)"
              (copyWanted)="copying.set(true)"
            />
            @if (d.history.length) {
              <section class="card">
                <h2>History</h2>
                <rule-table label="Changes of this file" [rows]="d.history" key="changeSet">
                  <ng-container *ruleColumn="let set of d.history; look: 'nowrap'">{{ instant(set.at) }}</ng-container>
                  <ng-container *ruleColumn="let set of d.history">
                    <a [routerLink]="['/history']" [queryParams]="{ set: set.changeSet }">{{ set.title }}</a><br /><small class="soft">{{ set.by }}</small>
                  </ng-container>
                  <ng-container *ruleColumn="let set of d.history">
                    @for (line of set.lines.slice(0, 6); track $index) {
                      <div>
                        <rule-exact-name [name]="line.name" />: <span class="mono">{{ line.before || '—' }}</span> →
                        <span class="mono">{{ line.after || '—' }}</span>
                      </div>
                    }
                    @if (set.lines.length > 6) {
                      <small class="soft">and {{ set.lines.length - 6 }} more</small>
                    }
                  </ng-container>
                </rule-table>
              </section>
            }
          </div>
          <div>
            @if (store.geometry(); as g) {
              <rule-file-shape [details]="d" [geometry]="g" />
            }
            <rule-file-uses [details]="d" [record]="store.record()" />
            <section class="card">
              <h2>The file itself</h2>
              <dl class="facts">
                <dt>Format</dt>
                <dd>{{ formats[d.file.format] ?? d.file.format }} {{ d.version }}</dd>
                <dt>Size</dt>
                <dd>{{ figure(d.file.size) }} bytes</dd>
                <dt>SHA-256</dt>
                <dd class="mono hash">{{ d.file.hash.slice(0, 16) }}…</dd>
              </dl>
            </section>
          </div>
        </div>
      } @else {
        <h1>File</h1>
        <rule-waiting />
      }
      <div bench="inspector">
        <rule-about-value [value]="chosen()" />
      </div>
    </rule-bench>
    @if (copying() && store.details(); as d) {
      <rule-copy-values [from]="d.file.id" [names]="names()" (closed)="copying.set(false)" />
    }
  `,
  styles: `
    .columns {
      display: grid;
      grid-template-columns: minmax(0, 1.6fr) minmax(240px, 1fr);
      gap: 14px;
      align-items: start;
    }
    .path {
      overflow-wrap: anywhere;
    }
    rule-table {
      overflow-wrap: anywhere;
    }
  `,
})
export class FilePage {
  protected readonly store = inject(FileStore);
  readonly id = input.required<string>();
  private readonly global = inject(Store);
  private readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  private readonly ended = this.global.selectSignal(jobsFeature.selectEndedCount);
  private readonly waiting = inject(PendingStore);
  protected readonly chosen = signal<HeldThere | null>(null);
  /** Names ticked for copying. */
  protected readonly copied = signal<ReadonlySet<string>>(new Set());
  protected readonly names = computed(() => [...this.copied()]);
  protected readonly copying = signal(false);
  protected readonly pending = computed(() => this.waiting.lines().filter((line) => line.file === this.store.details()?.file.id).length);
  protected readonly lockWords = lockWords;
  protected readonly instant = showInstant;
  protected readonly figure = plain;
  protected readonly formats: Readonly<Record<string, string>> = { step: 'STEP', dxf: 'DXF', opc: 'Open Packaging document', other: 'other' };

  constructor() {
    effect(() => {
      const id = Number(this.id());
      this.applied();
      this.ended();
      untracked(() => {
        this.chosen.set(null);
        this.copied.set(new Set());
        this.store.look(id);
      });
    });
  }

  protected tick(name: string): void {
    const next = new Set(this.copied());
    if (!next.delete(name)) next.add(name);
    this.copied.set(next);
  }
}
