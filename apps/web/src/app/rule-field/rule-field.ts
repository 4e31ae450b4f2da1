import {
  ChangeDetectionStrategy,
  Component,
  ElementRef,
  OnDestroy,
  afterNextRender,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { Completion, CompletionContext, CompletionResult, autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { HighlightStyle, LRLanguage, LanguageSupport, syntaxHighlighting } from '@codemirror/language';
import { Diagnostic, setDiagnostics } from '@codemirror/lint';
import { Compartment, EditorState } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { BUILTINS, FeelType, RuleProblem, compileRule, compileTests, typeWord } from '@rule/core/rules';
import { Property, feelType, ruleScope } from '@rule/core/schema';
import { parser, trackVariables } from 'lezer-feel';

/** Purpose of an expression: value, condition or allowed values. */
export type RulePurpose = 'value' | 'condition' | 'tests';

const colours = HighlightStyle.define([
  { tag: tags.string, color: 'var(--verdigris)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--brass-ink)' },
  { tag: [tags.keyword, tags.controlKeyword, tags.operatorKeyword], color: 'var(--ink)', fontWeight: '600' },
  { tag: [tags.lineComment, tags.blockComment], color: 'var(--faint)' },
]);

/** Styles use the editor's theme, as its style sheets are outside all layers. */
const theme = EditorView.theme({
  '&': { background: 'var(--panel)', color: 'var(--ink)', border: '1px solid var(--line)', borderRadius: '4px', fontSize: '12.5px' },
  '&.cm-focused': { outline: '2px solid var(--verdigris)', outlineOffset: '-1px' },
  '.cm-content': { fontFamily: "'JetBrains Mono', monospace", padding: '6px 0', fontVariantLigatures: 'none', caretColor: 'var(--ink)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-placeholder': { color: 'var(--faint)' },
  '.cm-tooltip': { background: 'var(--panel)', border: '1px solid var(--line)', color: 'var(--ink)' },
  '.cm-tooltip-autocomplete > ul > li': { fontFamily: "'JetBrains Mono', monospace", padding: '2px 8px' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { background: 'var(--verdigris-tint)', color: 'var(--ink)' },
  '.cm-completionDetail': { fontFamily: 'Barlow, sans-serif', fontStyle: 'normal', color: 'var(--soft)', marginLeft: '12px' },
  '.cm-completionMatchedText': { textDecoration: 'none', fontWeight: '600' },
});

/** Completion for names with captions, members and functions. */
export function complete(
  context: CompletionContext,
  fields: Readonly<Record<string, FeelType>>,
  captions: Readonly<Record<string, string>>,
): CompletionResult | null {
  const before = context.state.sliceDoc(0, context.pos);
  const path = /([\p{L}][\p{L} ]*?)\s*\.\s*([\p{L}\p{N} ]*)$/u.exec(before);
  const names = (list: Readonly<Record<string, FeelType>>): Completion[] =>
    Object.entries(list).map(([name, type]) => ({
      label: name,
      type: type.fields || type.item?.fields ? 'namespace' : 'variable',
      detail: captions[name] !== undefined && captions[name] !== name ? `${captions[name]}, ${typeWord(type)}` : typeWord(type),
    }));
  if (path) {
    const group = Object.keys(fields).find((name) => path[1]!.endsWith(name));
    const inner = group === undefined ? undefined : (fields[group]!.fields ?? fields[group]!.item?.fields);
    if (inner) return { from: context.pos - path[2]!.length, options: names(inner), validFor: /^[\p{L}\p{N} ]*$/u };
  }
  const word = /[\p{L}][\p{L}\p{N}]*$/u.exec(before);
  if (!word && !context.explicit) return null;
  const functions = BUILTINS().map((entry): Completion => ({
    label: entry.name,
    type: 'function',
    detail: `(${entry.parameters.map((parameter) => parameter.name).join(', ')})`,
    info: entry.help,
    apply: `${entry.name}(`,
    boost: -1,
  }));
  return { from: context.pos - (word?.[0].length ?? 0), options: [...names(fields), ...functions], validFor: /^[\p{L}\p{N} ]*$/u };
}

/** Expression editor with completion, diagnostics and fixes, and results. */
@Component({
  selector: 'rule-rule-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="editor"></div>
    @if (value().trim() !== '') {
      @for (problem of problems(); track $index) {
        <p [class]="problem.severity === 'error' ? 'bad' : 'warn'" [attr.role]="problem.severity === 'error' ? 'alert' : null">
          <span class="visually-hidden">{{ problem.severity }}: </span>{{ problem.message }}
          @if (problem.fix; as fix) {
            <button type="button" class="link" [disabled]="disabled()" (click)="repair(problem)">{{ fix.label }}</button>
          }
        </p>
      }
    }
  `,
  styles: `
    p {
      margin: 4px 0 0;
      font-size: 12.5px;
    }
    .link {
      margin-left: 6px;
    }
  `,
})
export class RuleField implements OnDestroy {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly label = input.required<string>();
  readonly value = input.required<string>();
  readonly purpose = input<RulePurpose>('value');
  readonly properties = input.required<readonly Property[]>();
  /** The property that gets the value, or whose values are tested. */
  readonly subject = input<Property | null>(null);
  readonly hint = input('');
  readonly disabled = input(false);
  readonly changed = output<string>();

  private readonly scope = computed(() => ruleScope(this.properties(), { clock: this.purpose() !== 'value' }));
  protected readonly problems = computed<readonly RuleProblem[]>(() => {
    const source = this.value();
    if (source.trim() === '') return [];
    const subject = this.subject();
    if (this.purpose() === 'tests') {
      const tests = compileTests(source, { ...this.scope(), ...(subject ? { input: feelType(subject) } : {}) });
      return tests.ok ? tests.value.warnings : tests.problems;
    }
    const rule = compileRule(source, this.scope());
    if (!rule.ok) return rule.problems;
    const { kind } = rule.value.type;
    const wanted = this.purpose() === 'condition' ? 'boolean' : subject ? feelType(subject).kind : kind;
    if (kind === wanted || kind === 'any' || kind === 'null') return rule.value.warnings;
    const message =
      this.purpose() === 'condition'
        ? `A condition is true or false; this is a ${typeWord(rule.value.type)}.`
        : `This gives a ${typeWord(rule.value.type)}; the property is a ${typeWord(feelType(subject!))}.`;
    const fix = wanted === 'string' && this.purpose() === 'value' ? { label: 'Write text( … )', text: `text(${source})` } : undefined;
    return [...rule.value.warnings, { severity: 'error', code: 'result', message, from: 0, to: source.length, ...(fix ? { fix } : {}) }];
  });

  private view: EditorView | undefined;
  private readonly ready = signal(false);
  private readonly writable = new Compartment();
  private readonly language = new Compartment();

  constructor() {
    afterNextRender(() => {
      this.view = new EditorView({
        parent: this.host.nativeElement.querySelector('.editor')!,
        state: EditorState.create({
          doc: this.value(),
          extensions: [
            history(),
            closeBrackets(),
            autocompletion({ override: [(context) => complete(context, this.scope().names, this.scope().captions ?? {})] }),
            keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
            syntaxHighlighting(colours),
            theme,
            EditorView.lineWrapping,
            placeholder(this.hint()),
            EditorView.contentAttributes.of({ 'aria-label': this.label(), spellcheck: 'false' }),
            this.language.of(this.support()),
            this.writable.of(EditorView.editable.of(!this.disabled())),
            EditorView.updateListener.of((update) => {
              if (update.docChanged && update.transactions.some((transaction) => !transaction.isUserEvent('rule.set')))
                this.changed.emit(update.state.doc.toString());
            }),
          ],
        }),
      });
      this.ready.set(true);
    });
    effect(() => {
      const value = this.value();
      if (!this.ready() || !this.view || this.view.state.doc.toString() === value) return;
      this.view.dispatch({ changes: { from: 0, to: this.view.state.doc.length, insert: value }, userEvent: 'rule.set' });
    });
    effect(() => {
      const disabled = this.disabled();
      if (this.ready()) this.view!.dispatch({ effects: this.writable.reconfigure(EditorView.editable.of(!disabled)) });
    });
    effect(() => {
      this.scope();
      if (this.ready()) untracked(() => this.view!.dispatch({ effects: this.language.reconfigure(this.support()) }));
    });
    effect(() => {
      const problems = this.problems();
      if (!this.ready()) return;
      const end = this.view!.state.doc.length;
      const diagnostics = problems.map((problem): Diagnostic => {
        const from = Math.min(problem.from, end);
        return { from, to: Math.max(from, Math.min(problem.to, end)), severity: problem.severity, message: problem.message };
      });
      this.view!.dispatch(setDiagnostics(this.view!.state, diagnostics));
    });
  }

  ngOnDestroy(): void {
    this.view?.destroy();
  }

  /** Grammar including names in scope, to highlight names with spaces. */
  private support(): LanguageSupport {
    const names = Object.fromEntries(Object.keys(this.scope().names).map((name) => [name, 0]));
    const top = this.purpose() === 'tests' ? 'UnaryTests' : 'Expression';
    return new LanguageSupport(LRLanguage.define({ parser: parser.configure({ top, contextTracker: trackVariables(names) }) }));
  }

  protected repair(problem: RuleProblem): void {
    const text = this.value();
    this.changed.emit(text.slice(0, problem.from) + problem.fix!.text + text.slice(problem.to));
  }
}
