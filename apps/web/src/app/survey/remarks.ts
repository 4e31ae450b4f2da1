import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { MassRemark, Remark } from '@rule/contract';
import { convert } from '@rule/core/values';
import { RuleColumn, RuleTable, RuleWaiting } from '../kit';
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
  imports: [RuleColumn, RuleTable, RuleWaiting, FileLink],
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
        <rule-table class="card" label="Remarks" [rows]="shown()" virtual height="64vh">
          <ng-container *ruleColumn="let remark of shown(); name: 'File'; by: 'path'; width: 'minmax(200px, 1.3fr)'">
            <rule-file [id]="remark.file" [path]="remark.path" />
          </ng-container>
          <ng-container *ruleColumn="let remark of shown(); name: 'About'; by: 'about'; width: '110px'">
            <span [class.bad]="remark.about === 'cannot be read'">{{ remark.about }}</span>
          </ng-container>
          <ng-container *ruleColumn="let remark of shown(); name: 'What'; by: 'message'; tip: 'message'; width: 'minmax(220px, 2fr)'">
            {{ remark.message }}
          </ng-container>
        </rule-table>
      } @else {
        <p class="note">All files were read without remarks.</p>
      }
    } @else {
      <rule-waiting />
    }
  `,
  styles: `
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
  imports: [RuleColumn, RuleTable, RuleWaiting, FileLink],
  template: `
    @if (store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else if (store.answer()) {
      <section class="card">
        <h2>Mass</h2>
        <rule-table label="Mass" [rows]="stale()" key="file" empty="No written mass is off its geometry.">
          <ng-container *ruleColumn="let row of stale(); name: 'File'; by: 'path'">
            <rule-file [id]="row.file" [path]="row.path" />
          </ng-container>
          <ng-container *ruleColumn="let row of stale(); name: 'Written'; num: true; look: 'bad'">{{ mass(row.mass.written) }}</ng-container>
          <ng-container *ruleColumn="let row of stale(); name: 'By its geometry'; num: true">{{ mass(row.mass.computed) }}</ng-container>
          <ng-container *ruleColumn="let row of stale(); name: 'Off by'; num: true">{{ off(row) }}</ng-container>
        </rule-table>
      </section>
      <section class="card">
        <h2>Material</h2>
        <rule-table label="Material" [rows]="materials()" key="file" empty="Model and property agree wherever the model says its material.">
          <ng-container *ruleColumn="let row of materials(); name: 'File'; by: 'path'">
            <rule-file [id]="row.file" [path]="row.path" />
          </ng-container>
          <ng-container *ruleColumn="let row of materials(); name: 'Assigned in the model'; by: 'modelMaterial'">
            {{ row.modelMaterial ?? '—' }}
          </ng-container>
          <ng-container *ruleColumn="let row of materials(); name: 'In the property'; by: 'property'">{{ row.property ?? '—' }}</ng-container>
          <ng-container *ruleColumn="let row of materials()">
            <span [class.bad]="row.material === 'differ'">{{ row.material }}</span>
          </ng-container>
        </rule-table>
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
