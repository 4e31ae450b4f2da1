import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BOM_STRUCTURES, BomContent, CLASS_RULES, ClassRule } from '@rule/core/bom';
import { Property } from '@rule/core/schema';
import { InputNumberModule } from 'primeng/inputnumber';
import { RuleCheck, RuleChoices, RuleSelect } from '../kit';

const RULE_WORDS: Readonly<Record<ClassRule['rule'], string>> = {
  'leave out': 'leave out',
  dissolve: 'replace by their parts',
  'as one': 'show without their parts',
  'count by': 'count by a property',
};

/** Set-up of a list: structure, merging, classes, numbers. Columns are configured in their headings. */
@Component({
  selector: 'rule-bom-layout-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleCheck, FormsModule, InputNumberModule, RuleChoices, RuleSelect],
  template: `
    @let c = content();
    <div class="fields">
      <div class="field">
        <span id="bom-structure">Structure</span>
        <rule-select labelledBy="bom-structure" [options]="structures" [ngModel]="c.structure" (ngModelChange)="set({ structure: $event })" />
      </div>
      <div class="field">
        <span id="bom-key">One row for equal</span>
        <rule-choices
          labelledBy="bom-key"
          placeholder="part files"
          [options]="properties()"
          optionLabel="caption"
          optionValue="id"
          [ngModel]="c.key"
          (ngModelChange)="set({ key: $event })"
        />
      </div>
      <div class="field">
        <span id="bom-first">First number</span>
        <p-inputnumber
          ariaLabelledBy="bom-first"
          [min]="0"
          [max]="1000000"
          [useGrouping]="false"
          [ngModel]="c.numbers.start"
          (ngModelChange)="numbers({ start: $event ?? 1 })"
        />
      </div>
      <div class="field">
        <span id="bom-step">Step</span>
        <p-inputnumber
          ariaLabelledBy="bom-step"
          [min]="1"
          [max]="10000"
          [useGrouping]="false"
          [ngModel]="c.numbers.step"
          (ngModelChange)="numbers({ step: $event ?? 1 })"
        />
      </div>
    </div>
    <div class="ticks">
      <div class="tick">
        <label><rule-check [checked]="c.numbers.reuse" (flip)="numbers({ reuse: $event })" /> Reuse numbers of removed rows</label>
      </div>
      <div class="tick">
        <label><rule-check [checked]="c.bodies" (flip)="set({ bodies: $event })" /> Show bodies of parts with several</label>
      </div>
      @if (c.structure === 'summed') {
        <div class="tick">
          <label><rule-check [checked]="c.assemblies" (flip)="set({ assemblies: $event })" /> Show sub-assemblies too</label>
        </div>
      }
    </div>
    <div role="group" aria-label="Rules for classes">
      @for (rule of c.classes; track rule.class; let i = $index) {
        <div class="rule">
          <b>{{ nameOf(rule.class) }}</b>
          <rule-select
            [ariaLabel]="'Rows of ' + nameOf(rule.class)"
            [options]="rules"
            optionLabel="text"
            optionValue="value"
            [ngModel]="rule.rule"
            (ngModelChange)="changeRule(i, { rule: $event, property: $event === 'count by' ? rule.property : null })"
          />
          @if (rule.rule === 'count by') {
            <rule-select
              [ariaLabel]="'Property that ' + nameOf(rule.class) + ' is counted by'"
              placeholder="length, area …"
              [options]="$any(numbersOnly())"
              optionLabel="caption"
              optionValue="id"
              [ngModel]="rule.property"
              (ngModelChange)="changeRule(i, { property: $event })"
            />
          }
          <button type="button" class="link" [attr.aria-label]="'Remove rule for ' + nameOf(rule.class)" (click)="set({ classes: without(i) })">✕</button>
        </div>
      }
      @if (open().length) {
        <rule-select
          ariaLabel="Class to add a rule for"
          placeholder="Add a rule for a class"
          [options]="$any(open())"
          optionLabel="name"
          optionValue="id"
          [ngModel]="null"
          (ngModelChange)="add($event)"
        />
      }
    </div>
  `,
  styles: `
    :host {
      display: block;
      border-left: 3px solid var(--brass);
      background: var(--side);
      padding: 10px 14px 12px;
      margin-bottom: 12px;
    }
    .fields {
      display: grid;
      grid-template-columns: 1fr 2fr 110px 90px;
      gap: 0 14px;
    }
    .fields rule-select,
    rule-choices,
    p-inputnumber {
      width: 100%;
    }
    .ticks {
      display: flex;
      flex-wrap: wrap;
      gap: 6px 20px;
      margin-bottom: 10px;
    }
    .tick {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
    .rule {
      display: flex;
      gap: 10px;
      align-items: center;
      margin-bottom: 6px;
    }
    .rule b {
      min-width: 110px;
    }
  `,
})
export class BomLayoutForm {
  readonly content = input.required<BomContent>();
  readonly properties = input.required<readonly Property[]>();
  readonly classes = input.required<readonly { readonly id: number; readonly name: string }[]>();
  readonly changed = output<BomContent>();
  protected readonly structures = [...BOM_STRUCTURES];
  protected readonly rules = CLASS_RULES.map((value) => ({ value, text: RULE_WORDS[value] }));
  protected readonly numbersOnly = computed(() => this.properties().filter((property) => property.type === 'number' || property.type === 'whole'));
  protected readonly open = computed(() => this.classes().filter((row) => !this.content().classes.some((rule) => rule.class === row.id)));

  protected nameOf = (id: number) => this.classes().find((row) => row.id === id)?.name ?? 'a class that is gone';
  protected set(change: Partial<BomContent>): void {
    this.changed.emit({ ...this.content(), ...change });
  }
  protected numbers(change: Partial<BomContent['numbers']>): void {
    this.set({ numbers: { ...this.content().numbers, ...change } });
  }
  protected changeRule(at: number, change: Partial<ClassRule>): void {
    this.set({ classes: this.content().classes.map((rule, i) => (i === at ? { ...rule, ...change } : rule)) });
  }
  protected without = (at: number) => this.content().classes.filter((_, i) => i !== at);
  protected add(id: number): void {
    this.set({ classes: [...this.content().classes, { class: id, rule: 'leave out', property: null }] });
  }
}
