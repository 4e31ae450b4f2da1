import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Check, KINDS, Kind, STRANGERS } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import { sessionFeature, workingCopy } from '../shared';
import { RuleField } from '../rule-field';
import { SchemaStore } from './schema.store';

type Row = Omit<Check, 'id'> & { readonly id: number | null };

/** Conditions across properties, and the policy for names outside the schema. */
@Component({
  selector: 'rule-schema-checks',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleOption, RuleSelect, ButtonModule, FormsModule, InputTextModule, RuleField, RuleCheck],
  template: `
    <div class="head">
      <div>
        <h1>Checks across properties</h1>
        <p class="soft">A check states what must be true. It is skipped while a property that it uses is blank.</p>
      </div>
      @if (mayAdminister()) {
        <div class="actions">
          <p-button severity="secondary" label="Add a check" (onClick)="add()" />
          <p-button label="Save in the draft" [disabled]="!changed()" [loading]="store.saving()" (onClick)="save()" />
        </div>
      }
    </div>
    @for (row of rows(); track $index; let i = $index) {
      <section class="card" [attr.aria-label]="row.title || 'New check'">
        <div class="line">
          <label class="field"
            ><span>Check</span><input pInputText [disabled]="!mayAdminister()" [ngModel]="row.title" (ngModelChange)="edit(i, { title: $event })"
          /></label>
          <label class="field">
            <span>Severity</span>
            <rule-select [disabled]="!mayAdminister()" [ngModel]="row.severity" (ngModelChange)="edit(i, { severity: $event })">
              <rule-option value="error" label="error" />
              <rule-option value="warning" label="warning" />
            </rule-select>
          </label>
          <div class="field" role="group" [attr.aria-label]="'Kinds of ' + row.title">
            <span>Applies to</span>
            <div class="kinds">
              @for (kind of kinds; track kind) {
                <label><rule-check [disabled]="!mayAdminister()" [checked]="row.kinds.includes(kind)" (flip)="toggle(i, kind)" /> {{ kind }}</label>
              }
            </div>
          </div>
          <button type="button" class="link" [disabled]="!mayAdminister()" (click)="drop(i)" [attr.aria-label]="'Remove ' + row.title">Remove</button>
        </div>
        <div class="field">
          <span>Must hold</span>
          <rule-rule-field
            [label]="'Condition of ' + (row.title || 'the new check')"
            purpose="condition"
            [value]="row.condition"
            [properties]="properties()"
            [disabled]="!mayAdminister()"
            hint='for instance: Make or buy != "bought" or not(is blank(Supplier))'
            (changed)="edit(i, { condition: $event })"
          />
        </div>
        <label class="field"
          ><span>Message if it fails</span
          ><input pInputText [disabled]="!mayAdminister()" [ngModel]="row.message" (ngModelChange)="edit(i, { message: $event })"
        /></label>
      </section>
    } @empty {
      <p class="note">No checks yet. A common one: a bought part needs a supplier and an order number.</p>
    }
    <section class="card" aria-labelledby="strangers">
      <h2 id="strangers">Names outside the schema</h2>
      <p class="soft">What happens to names outside the schema.</p>
      <div class="line">
        @for (kind of kinds; track kind) {
          <label class="field">
            <span>In {{ kind }} files</span>
            <rule-select [disabled]="!mayAdminister()" [ngModel]="strangers()?.[kind]" (ngModelChange)="setStrangers(kind, $event)">
              @for (choice of choices; track choice) {
                <rule-option [value]="choice" label="{{ choice }}" />
              }
            </rule-select>
          </label>
        }
      </div>
    </section>
  `,
  styles: `
    section.card {
      padding: 14px 18px 8px;
      margin-bottom: 14px;
    }
    .line {
      display: flex;
      gap: 18px;
      align-items: flex-start;
      flex-wrap: wrap;
    }
    section[aria-label] .line > .field:first-child {
      flex: 1;
      min-width: 220px;
    }
    .field input.p-inputtext {
      width: 100%;
    }
    .kinds {
      display: flex;
      gap: 12px;
      padding-top: 6px;
    }
    .line > .link {
      margin-top: 26px;
    }
  `,
})
export class SchemaChecks {
  protected readonly store = inject(SchemaStore);
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  private readonly work = workingCopy<readonly Row[]>(
    () => ({ key: 'checks', value: this.store.draft()?.schema.checks ?? [] }),
    () => 'the checks across properties',
  );
  protected readonly rows = this.work.value;
  protected readonly properties = computed(() => this.store.properties().filter((property) => !property.retired));
  protected readonly strangers = computed(() => this.store.draft()?.schema.strangers);
  protected readonly kinds = KINDS;
  protected readonly choices = STRANGERS;
  protected readonly changed = this.work.changed;

  protected add(): void {
    this.work.update((rows) => [...rows, { id: null, title: '', severity: 'error', kinds: ['part'], classes: [], condition: '', message: '' }]);
  }
  protected edit(at: number, change: Partial<Row>): void {
    this.work.update((rows) => rows.map((row, i) => (i === at ? { ...row, ...change } : row)));
  }
  protected toggle(at: number, kind: Kind): void {
    const { kinds } = this.rows()[at]!;
    this.edit(at, { kinds: KINDS.filter((candidate) => (candidate === kind ? !kinds.includes(kind) : kinds.includes(candidate))) });
  }
  protected drop(at: number): void {
    this.work.update((rows) => rows.filter((_, i) => i !== at));
  }
  protected save(): void {
    // New ones have numbers then.
    this.store.saveChecks(this.rows(), () => this.work.reset());
  }
  protected setStrangers(kind: Kind, choice: (typeof STRANGERS)[number]): void {
    this.store.saveStrangers({ ...this.strangers()!, [kind]: choice });
  }
}
