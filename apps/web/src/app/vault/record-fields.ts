import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { KINDS, Property } from '@rule/core/schema';
import { DefinitionView, FIELD_TYPES, FieldRow, VaultField, fieldOf } from '@rule/core/vault';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputNumberModule } from 'primeng/inputnumber';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { RuleCheck, RuleChoices, RuleColumn, RuleSelect, RuleTable } from '../kit';
import { Count } from '../shared';

/** A field's type in words. */
function typeWords({ type, length, choices }: VaultField): string {
  if (type === 'list') return `list of ${choices.length}`;
  return type === 'text' && length !== null ? `text, ${length} characters` : type;
}

/** Record fields compared with the schema, and how to align them. */
@Component({
  selector: 'rule-record-fields',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleColumn,
    RuleTable,
    ButtonModule,
    RuleCheck,
    Count,
    DialogModule,
    FormsModule,
    InputNumberModule,
    InputTextModule,
    RuleChoices,
    RuleSelect,
    TextareaModule,
  ],
  template: `
    <div class="head">
      <div>
        <h1>Record fields</h1>
        <p>
          What the vault keeps beside each file, compared with the draft of the schema.
          {{ view().rows.length | count: 'field' }}, {{ disagreeing() | count: 'does not agree' : 'do not agree' }}.
          @if (!mayDefine()) {
            Only the vault's administrator can change fields.
          }
        </p>
      </div>
      <div class="actions">
        <p-button severity="secondary" label="Send the list to hand over" (onClick)="sent.emit()" />
      </div>
    </div>
    @for (lost of view().lost; track lost.link) {
      <p class="note bad" role="alert">A link leads to the record field {{ lost.field }}, which the vault does not have.</p>
    }
    <div class="card wide">
      <rule-table class="above" label="Record fields" [rows]="view().rows">
        <ng-container *ruleColumn="let row of view().rows; name: 'Record field'">
          {{ row.field.name }}
          @if (row.system) {
            <small class="soft">kept by the vault</small>
          } @else if (row.field.retired) {
            <small class="soft">retired</small>
          } @else if (row.field.fixed) {
            <small class="soft">fixed in the vault</small>
          }
        </ng-container>
        <ng-container *ruleColumn="let row of view().rows; name: 'Takes'"> {{ typeOf(row.field) }}{{ row.field.required ? ', required' : '' }} </ng-container>
        <ng-container *ruleColumn="let row of view().rows; name: 'Records of'">
          {{ row.field.kinds.length ? row.field.kinds.join(', ') : 'every kind' }}
        </ng-container>
        <ng-container *ruleColumn="let row of view().rows; name: 'Linked to'">{{ linkedTo(row) }}</ng-container>
        <ng-container *ruleColumn="let row of view().rows; name: 'Compared with the schema'">
          @for (finding of row.findings; track finding.message) {
            <span class="finding" [class.bad]="finding.severity === 'error'" [class.warn]="finding.severity === 'warning'">{{
              marks[finding.severity] + ' ' + row.field.name + ' ' + finding.message
            }}</span>
          } @empty {
            <span class="chip good">agrees</span>
          }
        </ng-container>
        <ng-container *ruleColumn="let row of view().rows; said: 'Change'; num: true">
          @if (editable() && mayDefine() && !row.system && !row.field.fixed) {
            <button type="button" class="link" [attr.aria-label]="'Change the field ' + row.field.name" (click)="open(row)">change</button>
          }
        </ng-container>
      </rule-table>
    </div>
    @if (unheld().length) {
      <h2>Properties without a record field</h2>
      <div class="card wide">
        <rule-table class="above" label="Properties without a record field" [rows]="unheld()" key="property">
          <ng-container *ruleColumn="let row of unheld()">{{ row.caption }}</ng-container>
          <ng-container *ruleColumn="let row of unheld(); look: 'soft'">{{ row.kinds.join(', ') }}</ng-container>
          <ng-container *ruleColumn="let row of unheld(); num: true">
            @if (editable() && mayDefine()) {
              <button type="button" class="link" [attr.aria-label]="'Make a field from ' + row.caption" (click)="made.emit(row.property)">
                {{ row.taken ? '' : 'make a field' }}
              </button>
            }
            @if (editable()) {
              <button type="button" class="link" [attr.aria-label]="'Link ' + row.caption" (click)="link.emit(row.property)">link</button>
            }
          </ng-container>
        </rule-table>
      </div>
    }

    <p-dialog
      closeAriaLabel="Close"
      [header]="'Record field ' + (named() ?? '')"
      [modal]="true"
      [visible]="edited() !== null"
      (visibleChange)="edited.set(null)"
      [style]="{ width: '560px' }"
    >
      @if (edited(); as field) {
        <form (ngSubmit)="save()">
          @if (suited()) {
            <p class="note">
              As the schema has it: {{ suited()!.name }}, {{ typeOf(suited()!) }}{{ suited()!.required ? ', required' : '' }}.
              <button type="button" class="link" (click)="adopt()">Take it over</button>
            </p>
          }
          <label class="field"><span>Name</span><input pInputText name="name" [ngModel]="field.name" (ngModelChange)="set({ name: $event })" /></label>
          <div class="two">
            <div class="field">
              <span id="f-type">Type</span>
              <rule-select name="type" labelledBy="f-type" [options]="types" [ngModel]="field.type" (ngModelChange)="set({ type: $event })" />
            </div>
            <div class="field">
              <span id="f-length">Longest text</span>
              <p-inputnumber
                name="length"
                ariaLabelledBy="f-length"
                placeholder="any"
                [min]="1"
                [max]="10000"
                [ngModel]="field.length"
                (ngModelChange)="set({ length: $event })"
              />
            </div>
          </div>
          @if (field.type === 'list') {
            <label class="field"
              ><span>List, one value a line</span
              ><textarea pTextarea name="choices" rows="6" [ngModel]="field.choices.join('\\n')" (ngModelChange)="set({ choices: linesOf($event) })"></textarea>
            </label>
          }
          <div class="two">
            <label class="field"
              ><span>Initial value</span
              ><input pInputText name="initial" [ngModel]="field.initial ?? ''" (ngModelChange)="set({ initial: $event === '' ? null : $event })"
            /></label>
            <div class="field">
              <span id="f-kinds">Records of</span>
              <rule-choices
                name="kinds"
                labelledBy="f-kinds"
                placeholder="every kind"
                [options]="kinds"
                [ngModel]="field.kinds"
                (ngModelChange)="set({ kinds: $event })"
              />
            </div>
          </div>
          <div class="ticks">
            <span
              ><label><rule-check [checked]="field.required" (flip)="set({ required: $event })" /> Required before release</label></span
            >
            <span
              ><label><rule-check [checked]="field.retired" (flip)="set({ retired: $event })" /> Retired: kept, and written no more</label></span
            >
          </div>
          @if (problem(); as text) {
            <p class="note bad" role="alert">{{ text }}</p>
          }
          <div class="actions"><p-button type="submit" label="Change it in the vault" [disabled]="!field.name.trim()" /></div>
        </form>
      }
    </p-dialog>
  `,
  styles: `
    .wide {
      overflow-x: auto;
    }
    rule-table small {
      display: block;
    }
    .finding {
      display: block;
      max-width: 460px;
    }
    h2 {
      margin: 20px 0 8px;
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 0 12px;
    }
    .field input,
    .field textarea,
    .field rule-select,
    .field rule-choices,
    .field p-inputnumber {
      width: 100%;
      min-width: 0;
    }
    .ticks {
      display: grid;
      gap: 6px;
      margin-bottom: 12px;
    }
    .ticks span {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
  `,
})
export class RecordFields {
  readonly view = input.required<DefinitionView>();
  readonly properties = input.required<readonly Property[]>();
  readonly mayDefine = input(false);
  readonly editable = input(false);
  readonly problem = input<string | null>(null);
  /** Creates a field from a property. */
  readonly made = output<number>();
  /** Adds a link for a property. */
  readonly link = output<number>();
  readonly changed = output<{ readonly name: string; readonly field: VaultField }>();
  readonly opened = output();
  readonly sent = output();

  protected readonly marks = { error: '✕', warning: '!', note: '·' };
  protected readonly types = [...FIELD_TYPES];
  protected readonly kinds = [...KINDS];
  protected readonly typeOf = typeWords;
  protected readonly edited = signal<VaultField | null>(null);
  protected readonly named = signal<string | null>(null);
  private readonly ofProperty = signal<Property | null>(null);
  private readonly followsName = signal(false);
  private readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));
  protected readonly disagreeing = computed(() => this.view().rows.filter((row) => row.findings.some((finding) => finding.severity !== 'note')).length);
  protected readonly unheld = computed(() => {
    const names = new Set(this.view().rows.map((row) => row.field.name.toLowerCase()));
    return this.view().unheld.flatMap(({ property, kinds }) => {
      const own = this.byId().get(property);
      return own ? [{ property, kinds, caption: own.caption, taken: names.has(own.writtenName.toLowerCase()) }] : [];
    });
  });
  /** The field as its linked property defines it. */
  protected readonly suited = computed(() => {
    const property = this.ofProperty();
    if (!property) return null;
    const suited = fieldOf(property);
    // Renames follow only for fields named after their property.
    return { ...suited, name: this.followsName() ? suited.name : (this.named() ?? '') };
  });

  protected linkedTo({ properties }: FieldRow): string {
    return properties.map((id) => this.byId().get(id)?.caption ?? `property ${id}`).join(', ');
  }
  protected open(row: FieldRow): void {
    this.opened.emit();
    this.named.set(row.field.name);
    this.edited.set(row.field);
    this.followsName.set(row.findings.some((finding) => finding.code === 'name'));
    this.ofProperty.set(row.properties.length === 1 ? (this.byId().get(row.properties[0]!) ?? null) : null);
  }
  protected adopt(): void {
    const suited = this.suited();
    const now = this.edited();
    if (suited && now) this.edited.set({ ...suited, classes: now.classes, kinds: now.kinds, retired: now.retired });
  }
  protected set(change: Partial<VaultField>): void {
    this.edited.update((field) => field && { ...field, ...change });
  }
  protected linesOf(text: string): string[] {
    return [
      ...new Set(
        text
          .split('\n')
          .map((line) => line.trim())
          .filter(Boolean),
      ),
    ];
  }
  protected save(): void {
    const field = this.edited()!;
    this.changed.emit({ name: this.named()!, field: { ...field, name: field.name.trim(), choices: field.type === 'list' ? field.choices : [] } });
  }
  /** Closes the dialog after success. */
  close(): void {
    this.edited.set(null);
  }
}
