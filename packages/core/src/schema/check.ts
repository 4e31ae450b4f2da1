import { RuleProblem, compileRule, compileTests, hidesSign, isRuleSafe, patternOf, ruleNameFor, typeWord } from '../rules';
import { findUnit, isDateForm, parseText } from '../values';
import { constraintViolations } from './constraints';
import { compareNames, lookAlike, nameOddity } from './names';
import { FILE_FIELDS, FileField, MODEL_FACTS, Property, PropertyDraft, SHEET_FACTS, ruleNameOf } from './property';
import { feelType, ruleScope } from './scope';

/** A problem in a property's definition, by field. Warnings do not prevent saving. */
export interface DefinitionProblem {
  readonly severity: 'error' | 'warning';
  readonly field: keyof PropertyDraft;
  readonly code:
    | 'blank'
    | 'name-taken'
    | 'name-alike'
    | 'name-odd'
    | 'name-in-rules'
    | 'too-long'
    | 'range'
    | 'unit'
    | 'choices'
    | 'kinds'
    | 'feed'
    | 'pattern'
    | 'rule'
    | 'level'
    | 'form'
    | 'spelling'
    | 'overrides'
    | 'states'
    | 'default';
  readonly message: string;
  /** Location in an expression, if any. */
  readonly from?: number;
  readonly to?: number;
}

/** Longest written name. STEP and DXF set no limit; other holders commonly allow 255 characters (common practice). */
export const LONGEST_NAME = 255;

/** Context for checking a definition. */
export interface DefinitionGround {
  /** Existing choice lists and number series; not checked if absent. */
  readonly lists?: readonly string[];
  readonly series?: readonly string[];
  readonly classes?: readonly string[];
  /** Workflow states of the company; others get a warning. */
  readonly states?: readonly string[];
}

type Other = Pick<Property, 'id' | 'writtenName' | 'retired'> & Partial<Property>;

/** Checks a definition by itself and against all properties, including retired ones, whose names remain in files. */
export function checkDefinition(draft: PropertyDraft, others: readonly Other[], ground: DefinitionGround = {}): DefinitionProblem[] {
  const problems: DefinitionProblem[] = [];
  const add = (
    field: DefinitionProblem['field'],
    code: DefinitionProblem['code'],
    message: string,
    severity: DefinitionProblem['severity'] = 'error',
    place: { from?: number; to?: number } = {},
  ) => problems.push({ severity, field, code, message, ...place });

  checkNames(draft, others, add);
  if (draft.caption.trim() === '') add('caption', 'blank', 'A property needs a caption.');
  if (draft.kinds.length === 0) add('kinds', 'kinds', 'A property needs at least one kind of file.');
  for (const name of draft.classes)
    if (ground.classes && !ground.classes.includes(name)) add('classes', 'kinds', `There is no class ${JSON.stringify(name)}.`, 'warning');
  if (draft.type === 'choice' && draft.feed === 'typed' && draft.list === null) {
    if (draft.choices.length === 0 && !draft.open) add('choices', 'choices', 'A choice needs at least one allowed value.');
    for (const [i, choice] of draft.choices.entries()) {
      if (choice.trim() !== choice || choice === '') add('choices', 'choices', `Choice ${i + 1} is blank or has a space at its start or end.`);
      const twin = draft.choices.slice(0, i).find((earlier) => compareNames(earlier, choice) !== 'different');
      if (twin !== undefined) add('choices', 'choices', `${JSON.stringify(choice)} repeats ${JSON.stringify(twin)}.`);
    }
  }
  if (draft.list !== null && ground.lists && !ground.lists.includes(draft.list))
    add('list', 'choices', `There is no choice list ${JSON.stringify(draft.list)}.`);
  if (draft.narrowedBy !== null && !others.some((other) => other.writtenName === draft.narrowedBy && !other.retired))
    add('narrowedBy', 'choices', `There is no property ${JSON.stringify(draft.narrowedBy)} to depend on.`);
  if (draft.unit !== null && (draft.type !== 'number' || !findUnit(draft.unit)))
    add('unit', 'unit', draft.type === 'number' ? `${draft.unit} is not a known unit.` : 'Only a number has a unit.');
  if (draft.minLength !== null && draft.maxLength !== null && draft.minLength > draft.maxLength)
    add('minLength', 'range', 'The minimum length exceeds the maximum.');
  if (draft.min !== null && draft.max !== null && draft.min > draft.max) add('min', 'range', 'The minimum exceeds the maximum.');
  if (draft.pattern !== '' && !patternOf(draft.pattern)) add('pattern', 'pattern', `${draft.pattern} is not a valid pattern.`);
  for (const state of [draft.requiredFrom, ...draft.mayChange.states])
    if (state !== '' && ground.states && !ground.states.includes(state))
      add(state === draft.requiredFrom ? 'requiredFrom' : 'mayChange', 'states', `The company has no workflow state ${JSON.stringify(state)}.`, 'warning');
  checkForm(draft, add);
  checkFeed(draft, ground, add);
  checkExpressions(draft, others, add);
  const classes = draft.overrides.map((override) => override.class);
  for (const [i, name] of classes.entries()) {
    if (classes.indexOf(name) < i) add('overrides', 'overrides', `The class ${name} has two overrides.`);
    else if (ground.classes && !ground.classes.includes(name)) add('overrides', 'overrides', `There is no class ${JSON.stringify(name)}.`, 'warning');
  }
  if (draft.default !== '') {
    const parsed = parseText(draft.default, draft);
    const wrong = parsed.ok ? constraintViolations(parsed.value, { ...draft, id: 0, retired: false }) : [{ message: parsed.problem.message }];
    if (wrong[0]) add('default', 'default', `The default ${wrong[0].message}.`);
    if (draft.default === draft.placeholder) add('default', 'default', 'The default is only a placeholder and is never written.');
  }
  return problems;
}

type Add = (
  field: DefinitionProblem['field'],
  code: DefinitionProblem['code'],
  message: string,
  severity?: DefinitionProblem['severity'],
  place?: { from?: number; to?: number },
) => void;

function checkNames(draft: PropertyDraft, others: readonly Other[], add: Add): void {
  if (draft.writtenName.trim() === '') return add('writtenName', 'blank', 'A property needs a written name.');
  const odd = nameOddity(draft.writtenName);
  if (odd) add('writtenName', 'name-odd', `The written name has ${odd}. Programs that compare exactly would not find it.`);
  if (draft.writtenName.length > LONGEST_NAME) add('writtenName', 'too-long', `A written name can have at most ${LONGEST_NAME} characters.`);
  for (const other of others) {
    const likeness = compareNames(draft.writtenName, other.writtenName);
    const which = `${JSON.stringify(other.writtenName)}${other.retired ? ' (retired)' : ''}`;
    if (likeness === 'same') add('writtenName', 'name-taken', `The schema already has ${which}.`);
    else if (likeness !== 'different') add('writtenName', 'name-alike', `The schema has ${which}, which differs only in ${likeness}.`);
    else if (!other.retired && lookAlike(draft.writtenName, other.writtenName))
      add('writtenName', 'name-alike', `${which} looks the same, but uses different characters.`);
    else if (other.knownSpellings?.includes(draft.writtenName))
      add('writtenName', 'spelling', `${JSON.stringify(draft.writtenName)} is a known spelling of ${which}.`);
  }
  for (const spelling of draft.knownSpellings) {
    const owner = others.find((other) => other.writtenName === spelling || other.knownSpellings?.includes(spelling));
    if (spelling === draft.writtenName) add('knownSpellings', 'spelling', `${JSON.stringify(spelling)} is the written name itself.`);
    else if (owner) add('knownSpellings', 'spelling', `${JSON.stringify(spelling)} already means ${JSON.stringify(owner.writtenName)}.`);
  }
  const taken = others.filter((other) => !other.retired).map((other) => ruleNameOf({ ruleName: other.ruleName ?? '', writtenName: other.writtenName }));
  const inRules = draft.ruleName || draft.writtenName;
  if (!isRuleSafe(inRules)) {
    if (draft.ruleName) add('ruleName', 'name-in-rules', `${JSON.stringify(draft.ruleName)} cannot be used as a name in rules.`);
    else
      add(
        'ruleName',
        'name-in-rules',
        `${JSON.stringify(draft.writtenName)} cannot be used as a name in rules. In rules it is called ${JSON.stringify(ruleNameFor(draft.writtenName, taken))}.`,
        'warning',
      );
  } else {
    if (taken.includes(inRules) && inRules !== draft.writtenName)
      add('ruleName', 'name-in-rules', `Another property is called ${JSON.stringify(inRules)} in rules.`);
    if (hidesSign(inRules)) add('ruleName', 'name-in-rules', `In rules ${JSON.stringify(inRules)} always means this property, never a calculation.`, 'warning');
  }
}

function checkForm(draft: PropertyDraft, add: Add): void {
  const { form } = draft;
  if (draft.type === 'date' && !isDateForm(form.date))
    add('form', 'form', `${JSON.stringify(form.date)} is not a date format: use YYYY or YY, MM and DD once each, with separators.`);
  if (form.unit !== null && findUnit(form.unit)?.quantity !== findUnit(draft.unit ?? '')?.quantity)
    add('form', 'form', draft.unit === null ? 'A number without a unit cannot be shown in a unit.' : `${draft.unit} cannot be shown in ${form.unit}.`);
  if (form.number !== 'decimal' && findUnit(form.unit ?? draft.unit ?? '')?.quantity !== 'length')
    add('form', 'form', 'Only lengths are shown as fractions of an inch.');
  if (draft.words) {
    const [yes, no] = draft.words;
    if (yes.trim() === '' || no.trim() === '' || yes.toLowerCase() === no.toLowerCase()) add('words', 'form', 'Use two different words for yes and no.');
    else if (parseText(yes, { type: 'yesno' }).ok && (parseText(yes, { type: 'yesno' }) as { value: boolean }).value === false)
      add('words', 'form', `${JSON.stringify(yes)} means no.`);
    else if (parseText(no, { type: 'yesno' }).ok && (parseText(no, { type: 'yesno' }) as { value: boolean }).value === true)
      add('words', 'form', `${JSON.stringify(no)} means yes.`);
  }
}

function checkFeed(draft: PropertyDraft, ground: DefinitionGround, add: Add): void {
  if (draft.feed === 'file' && !FILE_FIELDS.includes(draft.fileField as FileField))
    add('fileField', 'feed', "Choose which of the file's own fields the value is taken from.");
  if (draft.feed === 'model') {
    if (!draft.modelFact || !MODEL_FACTS.includes(draft.modelFact)) add('modelFact', 'feed', 'Choose what is taken from the model.');
    else if ((draft.modelFact === 'material') === (draft.type === 'number'))
      add('type', 'feed', `The ${draft.modelFact} of a model is a ${draft.modelFact === 'material' ? 'text' : 'number'}.`);
  }
  if (draft.feed === 'sheet') {
    if (!draft.sheetFact || !SHEET_FACTS.includes(draft.sheetFact)) add('sheetFact', 'feed', 'Choose what is taken from the sheet.');
    if (draft.sheetFact === 'closed area') {
      if (!draft.sheetArea) add('sheetArea', 'feed', 'Choose which outlines the area is measured from.');
      else if (draft.sheetArea.of === 'around a text') {
        if (draft.sheetArea.text.trim() === '') add('sheetArea', 'feed', 'Enter the text that the outline encloses.');
      } else if (draft.sheetArea.layer.trim() === '') add('sheetArea', 'feed', 'Enter the layer of the outlines.');
      if (draft.type !== 'number' || findUnit(draft.unit ?? '')?.quantity !== 'area') add('unit', 'feed', 'An area is a number with a unit of area.');
    } else if (draft.sheetFact === 'sheet size' && draft.type === 'number') add('type', 'feed', 'The size of a sheet is a text.');
    if (draft.kinds.some((kind) => kind !== 'drawing')) add('kinds', 'feed', 'Only drawings have sheets.');
  }
  if (draft.feed === 'inherited') {
    if (draft.inheritFrom === null) add('inheritFrom', 'feed', 'Choose what the value is inherited from.');
    if (draft.inheritFrom === 'model' && !draft.kinds.includes('drawing')) add('kinds', 'feed', 'Only drawings show a model to inherit from.');
  }
  if (draft.feed === 'counted') {
    if (draft.series === null) add('series', 'feed', 'Choose the number series that counts.');
    else if (ground.series && !ground.series.includes(draft.series)) add('series', 'feed', `There is not a number series ${JSON.stringify(draft.series)}.`);
    if (draft.type !== 'text') add('type', 'feed', 'A counted value is a text.');
  }
  if (draft.feed === 'ruled' && draft.rule.trim() === '') add('rule', 'rule', 'Write the rule that computes the value.');
  const only = (level: string, kinds: readonly string[]) => {
    if (draft.level === level && draft.kinds.some((kind) => !kinds.includes(kind)))
      add('level', 'level', `Only ${kinds.join(' and ')} files hold values at ${level} level.`);
  };
  only('body', ['part']);
  only('variant', ['part']);
  only('occurrence', ['assembly']);
  only('sheet', ['drawing']);
  for (const [kind, slot] of Object.entries(draft.homes)) {
    if (slot.place === 'cell') add('homes', 'level', `To make a title block cell the home for a ${kind}, bind the cell in Title blocks and let it lead.`);
    if (slot.place === 'field' && slot.name === 'file name') add('homes', 'level', 'A file name cannot be a home; values are not written there.');
    if (slot.name === '') add('homes', 'level', 'A home needs a name.');
  }
}

function checkExpressions(draft: PropertyDraft, others: readonly Other[], add: Add): void {
  const all = [...others.filter((other): other is Property => !other.retired && 'kinds' in other), { ...draft, id: -1, retired: false }];
  const own = { ...draft, id: -1, retired: false };
  const report = (field: 'rule' | 'requiredWhen' | 'allowed', problems: readonly RuleProblem[]) => {
    for (const problem of problems) add(field, 'rule', problem.message, problem.severity, { from: problem.from, to: problem.to });
  };
  if (draft.feed === 'ruled' && draft.rule.trim() !== '') {
    const rule = compileRule(draft.rule, ruleScope(all, { clock: false }));
    if (!rule.ok) report('rule', rule.problems);
    else {
      report('rule', rule.value.warnings);
      const wanted = feelType(own).kind;
      const got = rule.value.type.kind;
      if (got !== 'any' && got !== 'null' && got !== wanted)
        add('rule', 'rule', `The rule gives a ${typeWord(rule.value.type)}, but the property is a ${typeWord(feelType(own))}.`, 'error', {
          from: 0,
          to: draft.rule.length,
        });
    }
  }
  if (draft.requiredWhen.trim() !== '') {
    const rule = compileRule(draft.requiredWhen, ruleScope(all, { clock: true }));
    if (!rule.ok) report('requiredWhen', rule.problems);
    else if (!['boolean', 'any'].includes(rule.value.type.kind))
      add('requiredWhen', 'rule', `A condition is true or false; this is a ${typeWord(rule.value.type)}.`, 'error', { from: 0, to: draft.requiredWhen.length });
  }
  for (const tests of [draft.allowed, ...draft.overrides.map((override) => override.allowed ?? '')]) {
    if (tests.trim() === '') continue;
    const ready = compileTests(tests, { ...ruleScope(all, { clock: true }), input: feelType(own) });
    report('allowed', ready.ok ? ready.value.warnings : ready.problems);
  }
}
