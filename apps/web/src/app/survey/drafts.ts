import { ChangeDetectionStrategy, Component, effect, inject, input, output, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { KINDS, Kind, PropertyDraft } from '@rule/core/schema';
import { UNITS, VALUE_TYPES } from '@rule/core/values';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import { Count, ExactName, TYPE_NAMES } from '../shared';
import { DraftsStore } from './drafts.store';

/** Draft properties from strays, adjusted and accepted together. */
@Component({
  selector: 'rule-found-drafts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [DraftsStore],
  imports: [RuleOption, RuleSelect, ButtonModule, Count, DialogModule, ExactName, FormsModule, InputTextModule, RuleCheck],
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
        <table class="list">
          <thead>
            <tr>
              <th></th>
              <th>Found as</th>
              <th>Written name</th>
              <th>Caption</th>
              <th>Type</th>
              <th>Unit</th>
              <th>Longest</th>
              <th>Kinds</th>
              <th>Choices</th>
            </tr>
          </thead>
          <tbody>
            @for (row of store.rows(); track row.found; let i = $index) {
              <tr>
                <td><rule-check [ariaLabel]="'Define ' + row.found" [checked]="row.take" (flip)="store.change(i, { take: !row.take })" /></td>
                <td>
                  <rule-exact-name [name]="row.found" /><br /><small class="soft">{{ row.files }} files</small>
                </td>
                <td>
                  <input
                    pInputText
                    class="mono"
                    [attr.aria-label]="'Written name for ' + row.found"
                    [ngModel]="row.draft.writtenName"
                    (ngModelChange)="edit(i, { writtenName: $event })"
                  />
                </td>
                <td>
                  <input
                    pInputText
                    [attr.aria-label]="'Caption for ' + row.found"
                    [ngModel]="row.draft.caption"
                    (ngModelChange)="edit(i, { caption: $event })"
                  />
                </td>
                <td>
                  <rule-select [ariaLabel]="'Type of ' + row.found" [ngModel]="row.draft.type" (ngModelChange)="edit(i, { type: $event, unit: null })">
                    @for (type of types; track type) {
                      <rule-option [value]="type" label="{{ typeText(type) }}" />
                    }
                  </rule-select>
                </td>
                <td>
                  @if (row.draft.type === 'number') {
                    <rule-select [ariaLabel]="'Unit of ' + row.found" [ngModel]="row.draft.unit ?? ''" (ngModelChange)="edit(i, { unit: $event || null })">
                      <rule-option value="" label="none" />
                      @for (unit of units; track unit.code) {
                        <rule-option [value]="unit.code" label="{{ unit.code }}" />
                      }
                    </rule-select>
                  }
                </td>
                <td>
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
                </td>
                <td class="kinds">
                  @for (kind of kinds; track kind) {
                    <label><rule-check [checked]="row.draft.kinds.includes(kind)" (flip)="toggle(i, kind)" /> {{ kind }}</label>
                  }
                </td>
                <td>
                  @if (row.draft.type === 'choice') {
                    <textarea
                      rows="3"
                      [attr.aria-label]="'Choices of ' + row.found + ', one per line'"
                      [ngModel]="row.draft.choices.join(newline)"
                      (ngModelChange)="edit(i, { choices: choices($event) })"
                    ></textarea>
                  }
                </td>
              </tr>
              @if (row.problems[0]; as problem) {
                <tr>
                  <td></td>
                  <td colspan="8" class="bad">{{ problem }}</td>
                </tr>
              }
            } @empty {
              <tr>
                <td colspan="9"><span class="skeleton"></span></td>
              </tr>
            }
          </tbody>
        </table>
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
    .list td {
      vertical-align: top;
      padding: 6px;
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
