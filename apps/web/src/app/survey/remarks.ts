import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { MassRemark, Remark } from '@rule/contract';
import { convert } from '@rule/core/values';
import { RuleWaiting } from '../kit';
import { FileLink } from '../shared';
import { MassesStore, RemarksStore } from './answers.store';

const ABOUT = ['cannot be read', 'noticed', 'same name', 'differs in case', 'same content'] as const;

/** A mass in kilograms and pounds. */
export function showMass(kilograms: number | null): string {
  if (kilograms === null) return '—';
  const plain = (n: number) => String(Number(n.toPrecision(4)));
  return `${plain(kilograms)} kg (${plain(convert(kilograms, 'kg', 'lb'))} lb)`;
}

/** Remarks on files: unreadable, noticed, duplicate. */
@Component({
  selector: 'rule-remarks',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [RemarksStore],
  imports: [RuleWaiting, FileLink, ScrollingModule],
  template: `
    @if (store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else if (store.answer()) {
      <div role="group" aria-label="About" class="about">
        <button type="button" class="chip plain" [class.brass]="!about()" [attr.aria-pressed]="!about()" (click)="chosen.set(null)">
          all {{ store.answer()!.length }}
        </button>
        @for (entry of counts(); track entry.about) {
          <button
            type="button"
            class="chip plain"
            [class.brass]="about() === entry.about"
            [attr.aria-pressed]="about() === entry.about"
            (click)="chosen.set(entry.about)"
          >
            {{ entry.about }} {{ entry.count }}
          </button>
        }
      </div>
      @if (shown().length) {
        <div class="card lines" role="table" aria-label="Remarks">
          <div class="row header" role="row">
            <span role="columnheader">File</span><span role="columnheader">About</span><span role="columnheader">What</span>
          </div>
          <cdk-virtual-scroll-viewport itemSize="32" role="rowgroup" [style.height]="'min(64vh, ' + 32 * shown().length + 'px)'">
            <div class="row" role="row" *cdkVirtualFor="let remark of shown()">
              <span role="cell"><rule-file [id]="remark.file" [path]="remark.path" /></span>
              <span role="cell" [class.bad]="remark.about === 'cannot be read'">{{ remark.about }}</span>
              <span role="cell" [title]="remark.message">{{ remark.message }}</span>
            </div>
          </cdk-virtual-scroll-viewport>
        </div>
      } @else {
        <p class="note">All files were read without remarks.</p>
      }
    } @else {
      <rule-waiting />
    }
  `,
  styles: `
    .lines {
      --columns: minmax(200px, 1.3fr) 110px minmax(220px, 2fr);
    }
    .about {
      display: flex;
      gap: 6px;
      margin-bottom: 10px;
    }
    button.chip {
      padding: 1px 8px;
    }
  `,
})
export class Remarks {
  protected readonly store = inject(RemarksStore);
  readonly turn = input(0);
  protected readonly chosen = signal<Remark['about'] | null>(null);
  protected readonly counts = computed(() =>
    ABOUT.map((about) => ({ about, count: (this.store.answer() ?? []).filter((remark) => remark.about === about).length })).filter((entry) => entry.count > 0),
  );
  /** The selected groups; all if none are left. */
  protected readonly about = computed(() => this.counts().find((entry) => entry.about === this.chosen())?.about ?? null);
  protected readonly shown = computed(() => (this.store.answer() ?? []).filter((remark) => !this.about() || remark.about === this.about()));

  constructor() {
    effect(() => {
      const turn = this.turn();
      untracked(() => this.store.ask(turn));
    });
  }
}

/** Outdated masses, and inconsistent materials. */
@Component({
  selector: 'rule-mass-remarks',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [MassesStore],
  imports: [RuleWaiting, FileLink],
  template: `
    @if (store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else if (store.answer()) {
      <section class="card">
        <h2>Mass</h2>
        <table class="list">
          <thead>
            <tr>
              <th>File</th>
              <th class="num">Written</th>
              <th class="num">By its geometry</th>
              <th class="num">Off by</th>
            </tr>
          </thead>
          <tbody>
            @for (row of stale(); track row.file) {
              <tr>
                <td><rule-file [id]="row.file" [path]="row.path" /></td>
                <td class="num bad">{{ mass(row.mass.written) }}</td>
                <td class="num">{{ mass(row.mass.computed) }}</td>
                <td class="num">{{ off(row) }}</td>
              </tr>
            } @empty {
              <tr>
                <td colspan="4" class="soft">No written mass is off its geometry.</td>
              </tr>
            }
          </tbody>
        </table>
      </section>
      <section class="card">
        <h2>Material</h2>
        <table class="list">
          <thead>
            <tr>
              <th>File</th>
              <th>Assigned in the model</th>
              <th>In the property</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            @for (row of materials(); track row.file) {
              <tr>
                <td><rule-file [id]="row.file" [path]="row.path" /></td>
                <td>{{ row.modelMaterial ?? '—' }}</td>
                <td>{{ row.property ?? '—' }}</td>
                <td [class.bad]="row.material === 'differ'">{{ row.material }}</td>
              </tr>
            } @empty {
              <tr>
                <td colspan="4" class="soft">Model and property agree wherever the model says its material.</td>
              </tr>
            }
          </tbody>
        </table>
      </section>
    } @else {
      <rule-waiting />
    }
  `,
})
export class MassRemarks {
  protected readonly store = inject(MassesStore);
  readonly turn = input(0);
  protected readonly mass = showMass;
  protected readonly stale = computed(() => (this.store.answer() ?? []).filter((row) => row.mass.state === 'stale'));
  protected readonly materials = computed(() => (this.store.answer() ?? []).filter((row) => row.modelMaterial !== null && row.material !== 'agree'));

  constructor() {
    effect(() => {
      const turn = this.turn();
      untracked(() => this.store.ask(turn));
    });
  }

  protected off({ mass: { written, computed } }: MassRemark): string {
    return written === null || !computed ? '' : `${((100 * (written - computed)) / computed).toFixed(1)} %`;
  }
}
