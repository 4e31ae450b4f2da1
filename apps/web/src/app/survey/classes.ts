import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ClassRow, ClassesDraft, Clause, clauseProblem } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck } from '../kit';
import { sessionFeature, workingCopy } from '../shared';
import { ClassesStore } from './classes.store';
import { Clauses } from '../clauses';
import { count } from '@rule/core/words';

type Draft = ClassesDraft['classes'][number];

/** Classes: conditions in order; the first match applies. */
@Component({
  selector: 'rule-classes',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [ClassesStore],
  imports: [ButtonModule, Clauses, FormsModule, InputTextModule, RuleCheck],
  template: `
    <p class="soft">The first matching class applies. A file has one class or none.</p>
    @if (store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    <fieldset [disabled]="!mayAdminister()">
      <legend class="visually-hidden">Classes</legend>
      @for (entry of drafts(); track $index; let i = $index) {
        <section class="card" [attr.aria-label]="'Class ' + entry.name">
          <div class="top">
            <input
              pInputText
              aria-label="Name of the class"
              placeholder="name of the class"
              [ngModel]="entry.name"
              (ngModelChange)="edit(i, { name: $event })"
            />
            <label><rule-check [checked]="entry.statedMass" (flip)="edit(i, { statedMass: $event })" /> the written mass leads (bought parts)</label>
            <span class="soft end">{{ filesOf(entry) }}</span>
            <button type="button" class="link" [disabled]="i === 0" [attr.aria-label]="'up: ' + entry.name" (click)="move(i, -1)">up</button>
            <button type="button" class="link" [disabled]="i === drafts().length - 1" [attr.aria-label]="'down: ' + entry.name" (click)="move(i, 1)">
              down
            </button>
            <button type="button" class="link" [attr.aria-label]="'Remove ' + entry.name" (click)="drop(i)">Remove</button>
          </div>
          <rule-clauses [clauses]="entry.clauses" [names]="names()" (changed)="edit(i, { clauses: $event })" />
        </section>
      } @empty {
        <p class="note">No classes yet. A class is your own subdivision of files, such as purchased parts or weldments.</p>
      }
      @if (mayAdminister()) {
        <div class="actions">
          <p-button severity="secondary" label="Add a class" (onClick)="add()" />
          <p-button label="Save and reclassify all files" [disabled]="!changed() || !whole()" [loading]="store.busy()" (onClick)="save()" />
        </div>
      }
    </fieldset>
  `,
  styles: `
    fieldset {
      border: 0;
      padding: 0;
      margin: 0;
    }
    .top {
      display: flex;
      flex-wrap: wrap;
      gap: 14px;
      align-items: center;
      margin-bottom: 10px;
    }
    .end {
      margin-left: auto;
    }
  `,
})
export class Classes {
  protected readonly store = inject(ClassesStore);
  readonly rows = input.required<readonly ClassRow[]>();
  readonly names = input.required<readonly string[]>();
  readonly saved = output();
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  private readonly work = workingCopy<readonly Draft[]>(
    () => ({ key: 'classes', value: this.rows().map(({ id, name, clauses, statedMass }) => ({ id, name, clauses, statedMass })) }),
    () => 'the classes',
  );
  protected readonly drafts = this.work.value;
  protected readonly whole = computed(() => this.drafts().every((entry) => entry.clauses.every((clause) => clauseProblem(clause) === null)));
  protected readonly changed = this.work.changed;

  protected filesOf(entry: Draft): string {
    const row = this.rows().find((candidate) => candidate.id === entry.id);
    return row ? `${count(row.files, 'file')}` : 'new';
  }
  protected edit(at: number, change: Partial<Draft>): void {
    this.work.update((list) => list.map((entry, i) => (i === at ? { ...entry, ...change } : entry)));
  }
  protected move(at: number, by: number): void {
    this.work.update((list) => {
      const next = [...list];
      [next[at], next[at + by]] = [next[at + by]!, next[at]!];
      return next;
    });
  }
  protected drop(at: number): void {
    this.work.update((list) => list.filter((_, i) => i !== at));
  }
  protected add(): void {
    const first: Clause = { subject: 'file name', operator: 'starts with', text: '' };
    this.work.update((list) => [...list, { name: '', clauses: [first], statedMass: false }]);
  }
  protected save(): void {
    this.store.save(this.drafts(), () => {
      this.work.saved();
      this.saved.emit();
    });
  }
}
