import { ChangeDetectionStrategy, Component, computed, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { KINDS, Kind, Property, PropertyDraft, draftOf } from '@rule/core/schema';
import { VALUE_TYPES } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { Count, ExactName, Notices, sessionFeature, TYPE_NAMES, Unsaved } from '../shared';
import { tidy } from './draft';
import { SchemaStore } from './schema.store';

/** Table of properties; edits are saved in the draft immediately. */
@Component({
  selector: 'rule-schema-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleOption, RuleSelect, ButtonModule, Count, ExactName, FormsModule, InputTextModule, RuleCheck],
  template: `
    <div class="head">
      <div>
        <h1>All properties</h1>
        <p class="soft">{{ rows().length }} properties. Change several, then save them together.</p>
      </div>
      <div class="actions">
        @if (edits().size) {
          <p-button severity="secondary" label="Undo" (onClick)="edits.set(empty)" />
        }
        <p-button
          [label]="'Save ' + (edits().size | count: 'change')"
          [disabled]="!edits().size || !mayAdminister()"
          [loading]="store.saving()"
          (onClick)="save()"
        />
      </div>
    </div>
    <div class="card scroll">
      <rule-table label="Properties" [rows]="rows()" key="id" [look]="edited">
        <ng-container *ruleColumn="let property of rows(); name: 'Written name'">
          <button type="button" class="plain" (click)="opened.emit(property.id)"><rule-exact-name [name]="now(property).writtenName" /></button>
        </ng-container>
        <ng-container *ruleColumn="let property of rows(); name: 'Caption'">
          <input
            pInputText
            [disabled]="!mayAdminister()"
            [attr.aria-label]="'Caption of ' + property.caption"
            [ngModel]="now(property).caption"
            (ngModelChange)="edit(property, { caption: $event })"
          />
        </ng-container>
        <ng-container *ruleColumn="let property of rows(); name: 'Group'">
          <input
            pInputText
            [disabled]="!mayAdminister()"
            [attr.aria-label]="'Group of ' + property.caption"
            [ngModel]="now(property).group"
            (ngModelChange)="edit(property, { group: $event })"
          />
        </ng-container>
        <ng-container *ruleColumn="let property of rows(); name: 'Type'">
          <rule-select
            [disabled]="!mayAdminister()"
            [ariaLabel]="'Type of ' + property.caption"
            [ngModel]="now(property).type"
            (ngModelChange)="edit(property, { type: $event })"
          >
            @for (type of types; track type) {
              <rule-option [value]="type" label="{{ names[type] }}" />
            }
          </rule-select>
        </ng-container>
        <ng-container *ruleColumn="let property of rows(); name: 'Kinds'">
          <span class="kinds">
            @for (kind of kinds; track kind) {
              <label [title]="kind"
                ><rule-check
                  [disabled]="!mayAdminister()"
                  [ariaLabel]="property.caption + ' applies to ' + kind"
                  [checked]="now(property).kinds.includes(kind)"
                  (flip)="toggle(property, kind)"
                />{{ kind[0] }}</label
              >
            }
          </span>
        </ng-container>
        <ng-container *ruleColumn="let property of rows(); name: 'Required'">
          <rule-check
            [disabled]="!mayAdminister()"
            [ariaLabel]="property.caption + ' is required'"
            [checked]="now(property).required"
            (flip)="edit(property, { required: !now(property).required })"
          />
        </ng-container>
        <ng-container *ruleColumn="let property of rows(); name: 'Longest'; num: true">
          <input
            pInputText
            type="number"
            class="short"
            [disabled]="!mayAdminister()"
            [attr.aria-label]="'Longest length of ' + property.caption"
            [ngModel]="now(property).maxLength"
            (ngModelChange)="edit(property, { maxLength: $event })"
          />
        </ng-container>
        <ng-container *ruleColumn="let property of rows(); name: 'Help'">
          <input
            pInputText
            [disabled]="!mayAdminister()"
            [attr.aria-label]="'Help of ' + property.caption"
            [ngModel]="now(property).help"
            (ngModelChange)="edit(property, { help: $event })"
          />
        </ng-container>
      </rule-table>
    </div>
  `,
  styles: `
    .scroll {
      overflow: auto;
      max-height: calc(100vh - 240px);
    }
    rule-table input.p-inputtext {
      padding-block: 2px;
      width: 100%;
      min-width: 90px;
    }
    rule-table input.short {
      width: 64px;
      min-width: 0;
    }
    .kinds {
      white-space: nowrap;
    }
    .kinds label {
      margin-right: 6px;
    }
  `,
})
export class SchemaTable {
  protected readonly store = inject(SchemaStore);
  private readonly notices = inject(Notices);
  readonly opened = output<number>();
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  protected readonly rows = computed(() => this.store.properties().filter((property) => !property.retired));
  protected readonly empty: ReadonlyMap<number, Partial<PropertyDraft>> = new Map();
  protected readonly edits = signal<ReadonlyMap<number, Partial<PropertyDraft>>>(this.empty);
  protected readonly types = VALUE_TYPES;
  protected readonly names = TYPE_NAMES;
  protected readonly kinds = KINDS;

  constructor() {
    inject(Unsaved).watch(() => {
      const { size } = this.edits();
      return size === 0 ? null : count(size, 'property in the table', 'properties in the table');
    });
  }

  protected readonly edited = ({ id }: Property): string => (this.edits().has(id) ? 'on' : '');
  protected now(property: Property): Property {
    return { ...property, ...this.edits().get(property.id) };
  }
  protected edit(property: Property, change: Partial<PropertyDraft>): void {
    this.edits.update((edits) => {
      const merged = { ...edits.get(property.id), ...change };
      const differs = Object.entries(merged).some(([key, value]) => JSON.stringify(property[key as keyof Property]) !== JSON.stringify(value));
      const next = new Map(edits);
      if (differs) next.set(property.id, merged);
      else next.delete(property.id);
      return next;
    });
  }
  protected toggle(property: Property, kind: Kind): void {
    const { kinds } = this.now(property);
    this.edit(property, { kinds: KINDS.filter((candidate) => (candidate === kind ? !kinds.includes(kind) : kinds.includes(candidate))) });
  }
  protected save(): void {
    const changed = this.rows().filter((property) => this.edits().has(property.id));
    this.store.change(
      changed.map((base) => ({ base, draft: tidy({ ...draftOf(base), ...this.edits().get(base.id) }) })),
      () => {
        this.edits.set(this.empty);
        this.notices.done(`${count(changed.length, 'property is', 'properties are')} saved in the draft.`);
      },
    );
  }
}
