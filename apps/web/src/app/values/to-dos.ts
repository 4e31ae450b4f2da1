import { ChangeDetectionStrategy, Component, computed, effect, inject, output, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleCheck, RuleColumn, RuleTable, RuleTip, RuleWaiting } from '../kit';
import { Count, FileLink, sessionFeature, showInstant, trayFeature } from '../shared';
import { ToDosStore } from './to-dos.store';

/** New or changed files lacking something, for their owners. */
@Component({
  selector: 'rule-to-dos',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, RuleColumn, RuleTable, RuleWaiting, ButtonModule, Count, FileLink, RuleCheck],
  providers: [ToDosStore],
  template: `
    <div class="head">
      <div>
        <h1>To do</h1>
        <p>New and changed files that lack a name or a required value. Files leave this list once complete.</p>
      </div>
      <div class="actions">
        <label><rule-check [checked]="mineOnly()" (flip)="mineOnly.set(!mineOnly())" /> only mine</label>
        @if (mayEdit() && chosen().size) {
          <p-button [label]="'Fill in ' + (chosen().size | count: 'file') + ' …'" (onClick)="fill.emit([...chosen()])" />
          <p-button severity="secondary" label="Add missing names to the tray" (onClick)="toDos.addNames([...chosen()])" />
          <p-button severity="secondary" label="Remove from the list" (onClick)="dismiss()" />
        }
      </div>
    </div>
    @if (toDos.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (toDos.list() === null && !toDos.error()) {
      <rule-waiting />
    } @else if (shown().length === 0) {
      <p class="note">Nothing to do. New files that lack something are listed after the next reading of a library.</p>
    } @else {
      <div class="card">
        <ng-template #all><rule-check ariaLabel="Choose all" [checked]="chosen().size === shown().length" (flip)="chooseAll()" /></ng-template>
        <rule-table label="To-dos" [rows]="shown()" key="file">
          <ng-container *ruleColumn="let entry of shown(); head: all">
            <rule-check [ariaLabel]="'Choose ' + entry.path" [checked]="chosen().has(entry.file)" (flip)="choose(entry.file)" />
          </ng-container>
          <ng-container *ruleColumn="let entry of shown(); name: 'File'; by: 'path'">
            <rule-file [id]="entry.file" [path]="entry.path" />&ngsp;
            <span class="chip">{{ entry.how }}</span>
            @if (entry.reason) {
              &ngsp;<span class="chip warn" [ruleTip]="entry.reason">cannot be written</span>
            }
          </ng-container>
          <ng-container *ruleColumn="let entry of shown(); name: 'Class'; by: 'class'">{{ entry.class ?? '' }}</ng-container>
          <ng-container *ruleColumn="let entry of shown(); name: 'Owner'; by: 'owner'">
            {{ entry.owner ?? 'nobody known' }}{{ entry.mine ? ' (you)' : '' }}
          </ng-container>
          <ng-container *ruleColumn="let entry of shown(); name: 'Since'; by: 'at'">{{ when(entry.at) }}</ng-container>
          <ng-container *ruleColumn="let entry of shown(); name: 'Required values missing'; look: 'warn'">{{ entry.missing.join(', ') }}</ng-container>
          <ng-container *ruleColumn="let entry of shown(); name: 'Names missing'">{{ few(entry.lacks) }}</ng-container>
        </rule-table>
      </div>
    }
  `,
})
export class ToDos {
  protected readonly toDos = inject(ToDosStore);
  private readonly store = inject(Store);
  readonly fill = output<number[]>();
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly mineOnly = signal(false);
  protected readonly chosen = signal<ReadonlySet<number>>(new Set());
  protected readonly shown = computed(() => (this.toDos.list() ?? []).filter((entry) => !this.mineOnly() || entry.mine));
  protected readonly when = showInstant;

  constructor() {
    effect(() => {
      this.applied();
      untracked(() => this.toDos.load());
    });
  }
  protected few(names: readonly string[]): string {
    return names.length > 4 ? `${names.slice(0, 4).join(', ')} and ${names.length - 4} more` : names.join(', ');
  }
  protected choose(file: number): void {
    this.chosen.update((chosen) => {
      const next = new Set(chosen);
      if (!next.delete(file)) next.add(file);
      return next;
    });
  }
  protected chooseAll(): void {
    this.chosen.set(this.chosen().size === this.shown().length ? new Set() : new Set(this.shown().map((entry) => entry.file)));
  }
  protected dismiss(): void {
    this.toDos.dismiss([...this.chosen()], () => this.chosen.set(new Set()));
  }
}
