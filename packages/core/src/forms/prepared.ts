import { CompiledRule, FeelContext, RuleProblem, compileRule } from '../rules';
import { EntryForm, FormInput, FormPanel, PreparedSchema, ruleScope } from '../schema';

/** A form's conditions on an input, for one holder. */
export interface InputState {
  readonly shown: boolean;
  /** By the form; the property may be required anyway. */
  readonly required: boolean;
  readonly readOnly: boolean;
}

/** A form condition that cannot run, by location. */
export interface ConditionProblem {
  readonly panel: string;
  readonly input: string | null;
  readonly field: 'shownWhen' | 'requiredWhen' | 'readOnlyWhen';
  readonly problem: RuleProblem;
}

const CONDITIONS = ['shownWhen', 'requiredWhen', 'readOnlyWhen'] as const;
type Condition = (typeof CONDITIONS)[number];

/** A form with compiled conditions. */
export class PreparedForm {
  readonly problems: readonly ConditionProblem[];
  private readonly compiled = new Map<string, CompiledRule>();

  constructor(
    readonly form: EntryForm,
    private readonly schema: PreparedSchema,
  ) {
    const problems: ConditionProblem[] = [];
    const scope = ruleScope(schema.schema.properties, { clock: true });
    const take = (panel: FormPanel, input: FormInput | null, field: Condition, text: string) => {
      if (text.trim() === '') return;
      const rule = compileRule(text, scope);
      if (!rule.ok) {
        for (const problem of rule.problems) problems.push({ panel: panel.key, input: input?.key ?? null, field, problem });
        return;
      }
      if (!['boolean', 'any'].includes(rule.value.type.kind))
        problems.push({
          panel: panel.key,
          input: input?.key ?? null,
          field,
          problem: { severity: 'error', code: 'type', from: 0, to: text.length, message: 'A condition is true or false.' },
        });
      schema.need(rule.value);
      this.compiled.set(keyOf(panel.key, input?.key ?? null, field), rule.value);
    };
    for (const panel of form.panels) {
      take(panel, null, 'shownWhen', panel.shownWhen);
      for (const input of panel.inputs) for (const field of CONDITIONS) take(panel, input, field, input[field]);
    }
    this.problems = problems;
  }

  /** Whether there are any conditions. */
  get hasConditions(): boolean {
    return this.compiled.size > 0;
  }

  /** The compiled condition at a location. */
  condition(panel: string, input: string | null, field: Condition): CompiledRule | null {
    return this.compiled.get(keyOf(panel, input, field)) ?? null;
  }

  /** Evaluates the conditions. Undecidable ones count as not met. */
  stateOf(panel: string, input: string, names: FeelContext): InputState {
    const host = this.schema.host();
    const says = (key: string | null, field: Condition): boolean | null => {
      const rule = this.condition(panel, key, field);
      if (!rule) return null;
      const outcome = rule.evaluate(names, host);
      return outcome.ok && typeof outcome.value === 'boolean' ? outcome.value : null;
    };
    const hides = (key: string | null) => this.condition(panel, key, 'shownWhen') !== null && says(key, 'shownWhen') !== true;
    return { shown: !hides(null) && !hides(input), required: says(input, 'requiredWhen') === true, readOnly: says(input, 'readOnlyWhen') === true };
  }
}

const keyOf = (panel: string, input: string | null, field: Condition) => JSON.stringify([panel, input, field]);
