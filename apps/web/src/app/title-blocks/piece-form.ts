import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { CELL_LETTERS, CellForm, PLAIN_SCALE, Property, SCALE_FORMS, SCALE_RULES, ScaleForm } from '@rule/core/schema';
import { UNITS, findUnit } from '@rule/core/values';
import { CheckboxModule } from 'primeng/checkbox';
import { InputNumberModule } from 'primeng/inputnumber';
import { InputTextModule } from 'primeng/inputtext';
import { SelectModule } from 'primeng/select';

/** Date forms that are offered; others can be typed. */
const DATES = ['YYYY-MM-DD', 'DD.MM.YYYY', 'DD/MM/YYYY', 'MM/DD/YYYY', 'DD MMM YYYY', 'MM/DD/YY'];
/** Languages that the names of months are offered in. */
const LANGUAGES = ['en', 'de', 'fr', 'es', 'it', 'nl', 'pl', 'sv', 'cs', 'hu'];
const FRACTIONS = [2, 4, 8, 16, 32, 64];

/** How one value of a cell is written. What is not said is as the property itself says. */
@Component({
  selector: 'rule-piece-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CheckboxModule, FormsModule, InputNumberModule, InputTextModule, SelectModule],
  template: `
    <fieldset>
      <legend>{{ name() }}</legend>
      @if (kind() === 'number') {
        <label for="piece-decimals">Decimals</label>
        <p-inputnumber
          inputId="piece-decimals"
          size="small"
          [min]="0"
          [max]="12"
          [showClear]="true"
          placeholder="as defined"
          [ngModel]="form().decimals ?? null"
          (ngModelChange)="set({ decimals: $event ?? undefined })"
        />
        <span id="piece-sign">Decimal sign</span>
        <p-select
          size="small"
          appendTo="body"
          ariaLabelledBy="piece-sign"
          [options]="signs"
          optionLabel="label"
          optionValue="value"
          [ngModel]="form().decimalSign ?? 'point'"
          (ngModelChange)="set({ decimalSign: $event === 'point' ? undefined : $event })"
        />
        @if (property()?.unit; as unit) {
          <span id="piece-unit">In</span>
          <p-select
            size="small"
            appendTo="body"
            ariaLabelledBy="piece-unit"
            [options]="units()"
            [ngModel]="form().inUnit ?? unit"
            (ngModelChange)="set({ inUnit: $event === unit ? undefined : $event })"
          />
          <label for="piece-with-unit">Unit behind it</label>
          <p-checkbox [binary]="true" inputId="piece-with-unit" [ngModel]="form().unit" (ngModelChange)="set({ unit: $event })" />
          @if (inches()) {
            <span id="piece-number">Written as</span>
            <p-select
              size="small"
              appendTo="body"
              ariaLabelledBy="piece-number"
              [options]="numbers"
              optionLabel="label"
              optionValue="value"
              [ngModel]="form().number ?? 'decimal'"
              (ngModelChange)="set({ number: $event === 'decimal' ? undefined : $event })"
            />
            @if (form().number) {
              <span id="piece-part">Down to</span>
              <p-select
                size="small"
                appendTo="body"
                ariaLabelledBy="piece-part"
                [options]="fractions"
                optionLabel="label"
                optionValue="value"
                [ngModel]="form().denominator ?? 64"
                (ngModelChange)="set({ denominator: $event })"
              />
            }
          }
        }
      }
      @if (kind() === 'date') {
        <span id="piece-date">Date form</span>
        <p-select
          size="small"
          appendTo="body"
          ariaLabelledBy="piece-date"
          [options]="dates()"
          [editable]="true"
          placeholder="as defined"
          [ngModel]="form().date ?? ''"
          (ngModelChange)="set({ date: $event || undefined })"
        />
        @if (form().date?.includes('MMM')) {
          <span id="piece-language">Months in</span>
          <p-select
            size="small"
            appendTo="body"
            ariaLabelledBy="piece-language"
            [options]="languages"
            optionLabel="label"
            optionValue="value"
            [ngModel]="form().language ?? 'en'"
            (ngModelChange)="set({ language: $event })"
          />
        }
      }
      @if (kind() === 'person') {
        <span id="piece-person">Person</span>
        <p-select
          size="small"
          appendTo="body"
          ariaLabelledBy="piece-person"
          [options]="persons"
          optionLabel="label"
          optionValue="value"
          [ngModel]="form().person ?? 'as defined'"
          (ngModelChange)="set({ person: $event === 'as defined' ? undefined : $event })"
        />
      }
      @if (kind() === 'scale') {
        <span id="piece-scale">Scale</span>
        <p-select
          size="small"
          appendTo="body"
          ariaLabelledBy="piece-scale"
          [options]="scales"
          optionLabel="label"
          optionValue="value"
          [ngModel]="scale().as"
          (ngModelChange)="setScale({ as: $event })"
        />
        <span id="piece-scale-rule">Where views differ</span>
        <p-select
          size="small"
          appendTo="body"
          ariaLabelledBy="piece-scale-rule"
          [options]="rules"
          optionLabel="label"
          optionValue="value"
          [ngModel]="scale().rule"
          (ngModelChange)="setScale({ rule: $event })"
        />
        @if (scale().rule === 'words') {
          <label for="piece-scale-words">Words</label>
          <input pInputText pSize="small" id="piece-scale-words" [ngModel]="scale().words" (ngModelChange)="setScale({ words: $event })" />
        }
      }
      <span id="piece-letters">Letters</span>
      <p-select
        size="small"
        appendTo="body"
        ariaLabelledBy="piece-letters"
        [options]="letters"
        [ngModel]="form().letters"
        (ngModelChange)="set({ letters: $event })"
      />
    </fieldset>
  `,
  styles: `
    fieldset {
      display: grid;
      grid-template-columns: auto minmax(0, 1fr);
      gap: 6px 10px;
      align-items: center;
      border: 0;
      border-top: 1px solid var(--line);
      padding: 8px 0;
      margin: 0;
    }
    legend {
      font-weight: 600;
      padding-right: 8px;
    }
    p-select,
    p-inputnumber,
    input {
      min-width: 0;
      width: 100%;
    }
  `,
})
export class PieceForm {
  readonly name = input.required<string>();
  /** The property that is shown; `null` for a fact. */
  readonly property = input<Property | null>(null);
  readonly fact = input<string | null>(null);
  readonly form = input.required<CellForm>();
  readonly formed = output<CellForm>();

  protected readonly letters = [...CELL_LETTERS];
  protected readonly signs = [
    { label: 'point', value: 'point' },
    { label: 'comma', value: 'comma' },
  ];
  protected readonly numbers = [
    { label: 'decimals', value: 'decimal' },
    { label: 'fraction of an inch', value: 'fraction' },
    { label: 'feet and inches', value: 'feet and inches' },
  ];
  protected readonly fractions = FRACTIONS.map((value) => ({ label: `1/${value}`, value }));
  protected readonly languages = LANGUAGES.map((value) => ({ value, label: new Intl.DisplayNames(['en'], { type: 'language' }).of(value) ?? value }));
  protected readonly persons = [
    { label: 'as defined', value: 'as defined' },
    { label: 'full name', value: 'full' },
    { label: 'initials and surname', value: 'short' },
    { label: 'initials', value: 'initials' },
  ];
  protected readonly scales = SCALE_FORMS.map((value) => ({ value, label: value === 'ratio' ? '1:2' : `1/16" = 1'-0"` }));
  protected readonly rules = SCALE_RULES.map((value) => ({ value, label: value === 'words' ? 'say so in words' : `scale ${value}` }));

  protected readonly kind = computed(() => {
    const [property, fact] = [this.property(), this.fact()];
    if (fact !== null) return fact === 'scale' ? 'scale' : fact.startsWith('date') ? 'date' : 'text';
    return property?.type === 'number' || property?.type === 'whole' ? 'number' : (property?.type ?? 'text');
  });
  /** Units of the same quantity as the property's own. */
  protected readonly units = computed(() => {
    const own = findUnit(this.property()?.unit ?? '');
    return UNITS.filter((unit) => unit.quantity === own?.quantity).map((unit) => unit.code);
  });
  protected readonly inches = computed(() => this.units().includes('in'));
  protected readonly dates = computed(() => [...new Set([...DATES, ...(this.form().date ? [this.form().date!] : [])])]);
  protected readonly scale = computed(() => this.form().scale ?? PLAIN_SCALE);

  protected set(change: { [K in keyof CellForm]?: CellForm[K] | undefined }): void {
    const entries = Object.entries({ ...this.form(), ...change }).filter(([, value]) => value !== undefined);
    this.formed.emit(Object.fromEntries(entries) as unknown as CellForm);
  }
  protected setScale(change: Partial<ScaleForm>): void {
    this.set({ scale: { ...this.scale(), ...change } });
  }
}
