import { ChangeDetectionStrategy, Component, effect, inject, input, output, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { KINDS, Kind, PropertyDraft } from '@rule/core/schema';
import { UNITS, VALUE_TYPES } from '@rule/core/values';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleColumn, RuleDetail, RuleOption, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { Count, ExactName, TYPE_NAMES } from '../shared';
import { DraftsStore } from './drafts.store';

/** Draft properties from strays, adjusted and accepted together. */
@Component({
  selector: 'rule-found-drafts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [DraftsStore],
  imports: [
    RuleColumn,
    RuleDetail,
    RuleTable,
    RuleWaiting,
    RuleOption,
    RuleSelect,
    ButtonModule,
    Count,
    DialogModule,
    ExactName,
    FormsModule,
    InputTextModule,
    RuleCheck,
  ],
  template: `
    <p-dialog
      closeAriaLabel="Close"
      header="Make properties of names"
      [modal]="true"
      [visible]="names().length > 0"
      (visibleChange)="$event || closed.emit()"
      [style]="{ width: 'min(980px, 97vw)' }"
    >
      <p class="soft">Type, unit, kinds, choices and length are suggested from the values found. You can change everything here or later in Schema.</p>
      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      <div class="scroll">
        @if (store.rows().length) {
          <rule-table class="above" label="Drafts" [rows]="store.rows()" key="found">
            <ng-container *ruleColumn="let row of store.rows(); let i = index; said: 'Define'">
              <rule-check [ariaLabel]="'Define ' + row.found" [checked]="row.take" (flip)="store.change(i, { take: !row.take })" />
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); name: 'Found as'">
              <rule-exact-name [name]="row.found" /><br /><small class="soft">{{ row.files }} files</small>
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); let i = index; name: 'Written name'">
              <input
                pInputText
                class="mono"
                [attr.aria-label]="'Written name for ' + row.found"
                [ngModel]="row.draft.writtenName"
                (ngModelChange)="edit(i, { writtenName: $event })"
              />
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); let i = index; name: 'Caption'">
              <input pInputText [attr.aria-label]="'Caption for ' + row.found" [ngModel]="row.draft.caption" (ngModelChange)="edit(i, { caption: $event })" />
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); let i = index; name: 'Type'">
              <rule-select [ariaLabel]="'Type of ' + row.found" [ngModel]="row.draft.type" (ngModelChange)="edit(i, { type: $event, unit: null })">
                @for (type of types; track type) {
                  <rule-option [value]="type" label="{{ typeText(type) }}" />
                }
              </rule-select>
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); let i = index; name: 'Unit'">
              @if (row.draft.type === 'number') {
                <rule-select [ariaLabel]="'Unit of ' + row.found" [ngModel]="row.draft.unit ?? ''" (ngModelChange)="edit(i, { unit: $event || null })">
                  <rule-option value="" label="none" />
                  @for (unit of units; track unit.code) {
                    <rule-option [value]="unit.code" label="{{ unit.code }}" />
                  }
                </rule-select>
              }
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); let i = index; name: 'Longest'">
              @if (row.draft.type === 'text') {
                <input
                  pInputText
                  class="short"
                  inputmode="numeric"
                  [attr.aria-label]="'Longest text of ' + row.found"
                  [ngModel]="row.draft.maxLength ?? ''"
                  (ngModelChange)="edit(i, { maxLength: $event ? +$event : null })"
                />
              }
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); let i = index; name: 'Kinds'">
              <span class="kinds">
                @for (kind of kinds; track kind) {
                  <label><rule-check [checked]="row.draft.kinds.includes(kind)" (flip)="toggle(i, kind)" /> {{ kind }}</label>
                }
              </span>
            </ng-container>
            <ng-container *ruleColumn="let row of store.rows(); let i = index; name: 'Choices'">
              @if (row.draft.type === 'choice') {
                <textarea
                  rows="3"
                  [attr.aria-label]="'Choices of ' + row.found + ', one per line'"
                  [ngModel]="row.draft.choices.join(newline)"
                  (ngModelChange)="edit(i, { choices: choices($event) })"
                ></textarea>
              }
            </ng-container>
            <ng-container *ruleDetail="let row of store.rows(); open: hasProblem">
              <span class="bad">{{ row.problems[0] }}</span>
            </ng-container>
          </rule-table>
        } @else {
          <rule-waiting />
        }
      </div>
      <ng-template #footer>
        <p-button severity="secondary" label="Close" (onClick)="closed.emit()" />
        <p-button [label]="'Define ' + (taken() | count: 'property')" [disabled]="!taken() || store.busy()" [loading]="store.busy()" (onClick)="accept()" />
      </ng-template>
    </p-dialog>
  `,
  styles: `
    .scroll {
      overflow: auto;
      max-height: 62vh;
    }
    input[pInputText] {
      width: 130px;
    }
    input.short {
      width: 56px;
    }
    textarea {
      width: 130px;
    }
    .kinds label {
      display: block;
      white-space: nowrap;
    }
  `,
})
export class FoundDrafts {
  protected readonly store = inject(DraftsStore);
  readonly names = input.required<readonly string[]>();
  readonly closed = output();
  protected readonly types = VALUE_TYPES;
  protected readonly units = UNITS;
  protected readonly kinds = KINDS;
  protected readonly newline = '\n';

  constructor() {
    effect(() => {
      const names = this.names();
      untracked(() => this.store.load(names));
    });
  }

  protected readonly hasProblem = ({ problems }: { readonly problems: readonly string[] }): boolean => problems.length > 0;
  protected taken(): number {
    return this.store.rows().filter((row) => row.take).length;
  }
  protected typeText(type: PropertyDraft['type']): string {
    return TYPE_NAMES[type];
  }
  protected choices(text: string): string[] {
    return text.split('\n').filter((line) => line !== '');
  }
  protected edit(at: number, change: Partial<PropertyDraft>): void {
    const row = this.store.rows()[at]!;
    this.store.change(at, { draft: { ...row.draft, ...change }, problems: [] });
  }
  protected toggle(at: number, kind: Kind): void {
    const { kinds } = this.store.rows()[at]!.draft;
    this.edit(at, { kinds: kinds.includes(kind) ? kinds.filter((other) => other !== kind) : [...kinds, kind] });
  }

  /** Adds them to the draft, all or none; reports refusals. */
  protected accept(): void {
    const wanted = this.store.rows().filter((row) => row.take);
    this.store.accept(
      wanted.map((row) => row.draft),
      () => this.closed.emit(),
    );
  }
}
