import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  CELL_LETTERS,
  CellForm,
  OUTLINES_OF,
  OUTLINE_FACTS,
  OutlineRule,
  PLAIN_OUTLINES,
  PLAIN_SCALE,
  Property,
  SCALE_FORMS,
  SCALE_RULES,
  ScaleForm,
} from '@rule/core/schema';
import { NUMBER_FORMS, UNITS, findUnit } from '@rule/core/values';
import { InputNumberModule } from 'primeng/inputnumber';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleSelect } from '../kit';

/** Suggested date formats; others can be typed. */
const DATES = ['YYYY-MM-DD', 'DD.MM.YYYY', 'DD/MM/YYYY', 'MM/DD/YYYY', 'DD MMM YYYY', 'MM/DD/YY'];
/** Languages for month names. */
const LANGUAGES = ['en', 'de', 'fr', 'es', 'it', 'nl', 'pl', 'sv', 'cs', 'hu'];
const FRACTIONS = [2, 4, 8, 16, 32, 64];
const PERSONS = { full: 'full name', short: 'initials and surname', initials: 'initials' } as const;
const NUMBERS: Readonly<Record<(typeof NUMBER_FORMS)[number], string>> = {
  decimal: 'decimals',
  fraction: 'fraction of an inch',
  'feet and inches': 'feet and inches',
};

/** Option meaning the property's own format. */
const AS_DEFINED = 'as defined';

/** A choice from a list. */
interface Choice {
  readonly id: string;
  readonly label: string;
  readonly options: readonly { readonly label: string; readonly value: string | number }[];
  readonly value: string | number;
  /** Whether other values can be typed. */
  readonly editable: boolean;
  readonly put: (value: string | number) => void;
}

type Change = { [K in keyof CellForm]?: CellForm[K] | undefined };

/** Unique ids for labels. */
let forms = 0;

/** Format of one value in a cell; unset options follow the property. */
@Component({
  selector: 'rule-piece-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleCheck, FormsModule, InputNumberModule, InputTextModule, RuleSelect],
  template: `
    <fieldset>
      <legend>{{ name() }}</legend>
      @if (kind() === 'number' || kind() === 'outlines') {
        <label [attr.for]="id('decimals')">Decimals</label>
        <p-inputnumber
          [inputId]="id('decimals')"
          size="small"
          [min]="0"
          [max]="12"
          [showClear]="true"
          [placeholder]="kind() === 'outlines' ? '2' : 'as defined'"
          [ngModel]="form().decimals ?? null"
          (ngModelChange)="set({ decimals: $event ?? undefined })"
        />
        @if (property()?.unit || kind() === 'outlines') {
          <span>Unit behind it</span>
          <rule-check ariaLabel="Unit behind it" [checked]="form().unit" (flip)="set({ unit: $event })" />
        }
      }
      @if (kind() === 'outlines') {
        <label [attr.for]="id('layer')">Layer</label>
        <input
          pInputText
          pSize="small"
          [id]="id('layer')"
          [placeholder]="outlines().of === 'around the cell' ? 'any layer' : 'needed'"
          [ngModel]="outlines().layer"
          (ngModelChange)="setOutlines({ layer: $event })"
        />
      }
      @for (choice of choices(); track choice.id) {
        <span [id]="choice.id">{{ choice.label }}</span>
        <rule-select
          [labelledBy]="choice.id"
          [options]="$any(choice.options)"
          optionLabel="label"
          optionValue="value"
          [editable]="choice.editable"
          [ngModel]="choice.value"
          (ngModelChange)="choice.put($event)"
        />
      }
      @if (kind() === 'scale' && scale().rule === 'words') {
        <label [attr.for]="id('words')">Words</label>
        <input pInputText pSize="small" [id]="id('words')" [ngModel]="scale().words" (ngModelChange)="setScale({ words: $event })" />
      }
    </fieldset>
  `,
  styles: `
    fieldset {
      display: grid;
      grid-template-columns: minmax(0, 2fr) minmax(0, 3fr);
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
    p-inputnumber ::ng-deep input {
      width: 100%;
    }
    rule-select,
    p-inputnumber,
    input {
      min-width: 0;
      width: 100%;
    }
  `,
})
export class PieceForm {
  private readonly number = ++forms;
  readonly name = input.required<string>();
  /** The displayed property; `null` for a fact. */
  readonly property = input<Property | null>(null);
  readonly fact = input<string | null>(null);
  readonly form = input.required<CellForm>();
  readonly formed = output<CellForm>();

  protected readonly kind = computed(() => {
    const [property, fact] = [this.property(), this.fact()];
    if (fact !== null && (OUTLINE_FACTS as readonly string[]).includes(fact)) return 'outlines';
    if (fact !== null) return fact === 'scale' || fact === 'view scale' ? 'scale' : fact.startsWith('date') ? 'date' : 'text';
    return property?.type === 'number' || property?.type === 'whole' ? 'number' : (property?.type ?? 'text');
  });
  protected readonly scale = computed(() => this.form().scale ?? PLAIN_SCALE);
  protected readonly outlines = computed(() => this.form().outlines ?? PLAIN_OUTLINES);
  protected readonly choices = computed<Choice[]>(() => [
    ...this.ofKind(),
    this.choice('letters', 'Letters', CELL_LETTERS, this.form().letters, (letters) => this.set({ letters })),
  ]);

  protected id(what: string): string {
    return `piece-${this.number}-${what}`;
  }

  /** Options for numbers, dates, people or scales. */
  private ofKind(): Choice[] {
    const form = this.form();
    switch (this.kind()) {
      case 'number':
        return this.ofNumber(form);
      case 'date': {
        const dates = [...new Set([...DATES, ...(form.date ? [form.date] : [])])];
        const date = this.maybe('date', 'Date form', dates, form.date, (value) => this.set({ date: value }));
        const names = new Intl.DisplayNames(['en'], { type: 'language' });
        const language = this.choice(
          'language',
          'Months in',
          LANGUAGES,
          form.language ?? 'en',
          (value) => this.set({ language: value }),
          (code) => names.of(code) ?? code,
        );
        return [{ ...date, editable: true }, ...(form.date?.includes('MMM') ? [language] : [])];
      }
      case 'person':
        return [
          this.maybe(
            'person',
            'Person',
            ['full', 'short', 'initials'] as const,
            form.person,
            (person) => this.set({ person }),
            (one) => PERSONS[one],
          ),
        ];
      case 'scale': {
        const { as, rule } = this.scale();
        return [
          this.choice(
            'scale',
            'Scale',
            SCALE_FORMS,
            as,
            (value) => this.setScale({ as: value }),
            (one) => (one === 'ratio' ? '1:2' : `1/16" = 1'-0"`),
          ),
          ...(this.fact() === 'view scale'
            ? []
            : [
                this.choice(
                  'rule',
                  'Where views differ',
                  SCALE_RULES,
                  rule,
                  (value) => this.setScale({ rule: value }),
                  (one) => (one === 'words' ? 'say so in words' : `scale ${one}`),
                ),
              ]),
        ];
      }
      case 'outlines':
        return this.ofOutlines(form);
      default:
        return [];
    }
  }

  private ofOutlines(form: CellForm): Choice[] {
    const { of, holes, unit } = this.outlines();
    const units = UNITS.filter(({ quantity }) => quantity === (this.fact() === 'outline area' ? 'area' : 'length')).map(({ code }) => code);
    const lengths = UNITS.filter(({ quantity }) => quantity === 'length').map(({ code }) => code);
    return [
      this.choice('outlines', 'Outlines', OUTLINES_OF, of, (value) => this.setOutlines({ of: value })),
      this.choice(
        'holes',
        'Nested outlines',
        ['holes', 'counted'] as const,
        holes ? 'holes' : 'counted',
        (value) => this.setOutlines({ holes: value === 'holes' }),
        (one) => (one === 'holes' ? 'are holes' : 'do not matter'),
      ),
      this.maybe('in', 'In', units, form.inUnit, (inUnit) => this.set({ inUnit }), String, 'm or feet'),
      this.sign(form),
      ...(this.fact() === 'outline length' ? this.written(form) : []),
      this.maybe('drawn', 'If no unit is stated', lengths, unit, (value) => this.setOutlines({ unit: value }), String, 'not known'),
    ];
  }

  private sign(form: CellForm): Choice {
    return this.choice('sign', 'Decimal sign', ['point', 'comma'] as const, form.decimalSign ?? 'point', (value) =>
      this.set({ decimalSign: value === 'point' ? undefined : value }),
    );
  }

  /** Decimals or fractions of an inch. */
  private written(form: CellForm): Choice[] {
    const fraction = form.number !== undefined && form.number !== 'decimal';
    return [
      this.maybe(
        'number',
        'Written as',
        NUMBER_FORMS,
        form.number,
        (number) => this.set({ number }),
        (one) => NUMBERS[one],
      ),
      ...(fraction
        ? [
            this.choice(
              'part',
              'Down to',
              FRACTIONS,
              form.denominator ?? 64,
              (denominator) => this.set({ denominator }),
              (one) => `1/${one}`,
            ),
          ]
        : []),
    ];
  }

  private ofNumber(form: CellForm): Choice[] {
    const own = findUnit(this.property()?.unit ?? '');
    const units = own ? UNITS.filter((unit) => unit.quantity === own.quantity).map((unit) => unit.code) : [];
    return [
      this.sign(form),
      ...(own ? [this.maybe('in', 'In', units, form.inUnit, (inUnit) => this.set({ inUnit }))] : []),
      ...(units.includes('in') ? this.written(form) : []),
    ];
  }

  /** A choice among values. */
  private choice<T extends string | number>(
    id: string,
    label: string,
    values: readonly T[],
    value: T,
    put: (value: T) => void,
    words: (value: T) => string = String,
  ): Choice {
    return {
      id: this.id(id),
      label,
      options: values.map((one) => ({ label: words(one), value: one })),
      value,
      editable: false,
      put: (chosen) => put(chosen as T),
    };
  }
  /** A choice among values or none: usually the property's own format. */
  private maybe<T extends string>(
    id: string,
    label: string,
    values: readonly T[],
    value: T | undefined,
    put: (value: T | undefined) => void,
    words: (value: T) => string = String,
    none = AS_DEFINED,
  ): Choice {
    const choice = this.choice(id, label, values, value ?? (AS_DEFINED as T), put, words);
    return {
      ...choice,
      options: [{ label: none, value: AS_DEFINED }, ...choice.options],
      put: (chosen) => put(chosen === AS_DEFINED || chosen === '' ? undefined : (chosen as T)),
    };
  }

  protected set(change: Change): void {
    const entries = Object.entries({ ...this.form(), ...change }).filter(([, value]) => value !== undefined);
    this.formed.emit(Object.fromEntries(entries) as unknown as CellForm);
  }
  protected setOutlines(change: { [K in keyof OutlineRule]?: OutlineRule[K] | undefined }): void {
    const entries = Object.entries({ ...this.outlines(), ...change }).filter(([, value]) => value !== undefined);
    this.set({ outlines: Object.fromEntries(entries) as unknown as OutlineRule });
  }
  protected setScale(change: Partial<ScaleForm>): void {
    this.set({ scale: { ...this.scale(), ...change } });
  }
}
