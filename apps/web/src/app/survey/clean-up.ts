import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { CleanUpRequest, FileFilter } from '@rule/contract';
import { Level } from '@rule/core/files';
import { CASES, CLASH_RULES, CaseStyle, ClashRule, CleanUp } from '@rule/core/survey';
import { UNITS } from '@rule/core/values';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleColumn, RuleOption, RuleRadio, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { Count, ExactName, FileLink, sessionFeature } from '../shared';
import { CleanUpPreviewStore } from './answers.store';
import { CleanUpStore } from './clean-up.store';

const LEVELS: readonly Level[] = ['document', 'variant', 'copy', 'body', 'occurrence'];
const CASE_WORDS: Readonly<Record<CaseStyle, string>> = {
  upper: 'ALL CAPITALS',
  lower: 'all small',
  first: 'First letter capital',
  title: 'Each Word Capital',
};

/** Title of a clean-up. */
export function titleOf(action: CleanUp): string {
  switch (action.do) {
    case 'merge':
      return action.names.length === 1 ? `Rename ${action.names[0]}` : `Merge ${action.names.length} names into one`;
    case 'case':
      return `Change the case of ${action.name}`;
    case 'trim':
      return `Trim ${action.name}`;
    case 'replace':
      return action.values.length === 1 ? `Replace a value of ${action.name}` : `Replace ${action.values.length} values of ${action.name} by one`;
    case 'split':
      return `Split ${action.name}`;
    case 'join':
      return `Join ${action.names.length} names`;
    case 'convert':
      return `Convert ${action.name}`;
    case 'remove':
      return action.names.length === 1 ? `Remove ${action.names[0]}` : `Remove ${action.names.length} names`;
  }
}

/** A clean-up with its scope and preview. Its lines go to the tray. */
@Component({
  selector: 'rule-clean-up',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [CleanUpPreviewStore, CleanUpStore],
  imports: [
    RuleColumn,
    RuleTable,
    RuleWaiting,
    RuleOption,
    RuleSelect,
    ButtonModule,
    Count,
    DialogModule,
    ExactName,
    FileLink,
    FormsModule,
    InputTextModule,
    RuleCheck,
    RuleRadio,
  ],
  template: `
    <p-dialog
      closeAriaLabel="Close"
      [header]="title()"
      [modal]="true"
      [visible]="action() !== null"
      (visibleChange)="$event || closed.emit()"
      [style]="{ width: 'min(860px, 96vw)' }"
    >
      @if (now(); as a) {
        <div class="form">
          @switch (a.do) {
            @case ('merge') {
              <div class="field">
                <span>From</span>
                @for (name of a.names; track name) {
                  <span class="chip"><rule-exact-name [name]="name" /></span>
                }
              </div>
              <label class="field"
                ><span>To the written name</span
                ><input pInputText class="mono" name="to" list="rule-known-names" [ngModel]="a.to" (ngModelChange)="edit({ to: $event })" />
                <datalist id="rule-known-names">
                  @for (name of known(); track name) {
                    <option [value]="name"></option>
                  }
                </datalist>
              </label>
              <label class="field"
                ><span>Where both have different values</span>
                <rule-select name="clash" [ngModel]="a.clash" (ngModelChange)="edit({ clash: $event })">
                  @for (rule of rules; track rule) {
                    <rule-option [value]="rule" label="{{ ruleText(rule) }}" />
                  }</rule-select
              ></label>
            }
            @case ('case') {
              <label class="field"
                ><span>Write it</span>
                <rule-select name="style" [ngModel]="a.style" (ngModelChange)="edit({ style: $event })">
                  @for (style of cases; track style) {
                    <rule-option [value]="style" label="{{ caseText[style] }}" />
                  }</rule-select
              ></label>
            }
            @case ('replace') {
              <div class="field">
                <span>Values</span>
                @for (value of a.values; track value) {
                  <span class="chip mono">{{ value || 'empty' }}</span>
                }
              </div>
              <label class="field"><span>By</span><input pInputText class="mono" name="by" [ngModel]="a.by" (ngModelChange)="edit({ by: $event })" /></label>
            }
            @case ('split') {
              <label class="field"
                ><span>At</span><input pInputText class="mono" name="separator" [ngModel]="a.separator" (ngModelChange)="edit({ separator: $event })"
              /></label>
              <label class="field"
                ><span>Into the written names, one per line</span
                ><textarea name="into" rows="3" class="mono" [ngModel]="a.into.join(newline)" (ngModelChange)="edit({ into: lines($event) })"></textarea>
              </label>
            }
            @case ('join') {
              <label class="field"
                ><span>Written names in order, one per line</span
                ><textarea name="names" rows="3" class="mono" [ngModel]="a.names.join(newline)" (ngModelChange)="edit({ names: lines($event) })"></textarea>
              </label>
              <label class="field"
                ><span>Between them</span><input pInputText class="mono" name="separator" [ngModel]="a.separator" (ngModelChange)="edit({ separator: $event })"
              /></label>
              <label class="field"
                ><span>Into the written name</span><input pInputText class="mono" name="to" [ngModel]="a.to" (ngModelChange)="edit({ to: $event })"
              /></label>
            }
            @case ('convert') {
              <label class="field"
                ><span>Into the unit</span>
                <rule-select name="unit" [ngModel]="a.unit" (ngModelChange)="edit({ unit: $event })">
                  @for (unit of units; track unit.code) {
                    <rule-option [value]="unit.code" label="{{ unit.code }}" />
                  }</rule-select
              ></label>
            }
            @case ('remove') {
              <div class="field">
                <span>Names</span>
                @for (name of a.names; track name) {
                  <span class="chip"><rule-exact-name [name]="name" /></span>
                }
              </div>
            }
          }
          <fieldset>
            <legend>At levels</legend>
            @for (level of levels; track level) {
              <label><rule-check [checked]="chosenLevels().includes(level)" (flip)="toggle(level)" /> {{ level }}</label>
            }
            <span class="soft">{{ chosenLevels().length ? '' : 'none ticked: all' }}</span>
          </fieldset>
          <p class="soft">{{ scope() }}</p>
        </div>

        @if (found.error() ?? store.error(); as text) {
          <p class="note bad" role="alert">{{ text }}</p>
        } @else if (found.answer(); as p) {
          <p class="note" role="status">
            <b>{{ p.lines | count: 'value' }}</b> in <b>{{ p.files | count: 'file' }}</b> would change.
            @if (p.going) {
              {{ p.going | count: 'value is removed that is' : 'values are removed that are' }} nowhere else in the file.
            }
            @if (p.clashes) {
              {{ p.clashes | count: 'clash is' : 'clashes are' }} left as they are until you choose.
            }
            @if (p.leftOut) {
              {{ p.leftOut | count: 'value is' : 'values are' }} left as they are.
            }
            @if (p.skipped.length) {
              {{ p.skipped.length | count: 'file is' : 'files are' }} skipped.
            }
            @if (p.violations) {
              <span class="bad">{{ p.violations }} would break the schema.</span>
            }
          </p>
          <div class="scroll">
            @if (p.clashSample.length) {
              <h2>Conflicts: choose which value to keep</h2>
              <rule-table label="Files with more than one value" [rows]="p.clashSample">
                <ng-container *ruleColumn="let clash of p.clashSample">
                  <rule-file [id]="clash.file" [path]="clash.path" /> <small class="soft">{{ clash.holder }}</small>
                </ng-container>
                <ng-container *ruleColumn="let clash of p.clashSample">
                  @for (value of clash.values; track value.name) {
                    <label class="choice"
                      ><rule-radio
                        [name]="clash.file + clash.holder"
                        [checked]="isChosen(clash.file, clash.holder, value.name)"
                        (choose)="choose(clash.file, clash.holder, value.name)"
                      />
                      <span class="mono">{{ value.text }}</span> <small class="soft">{{ value.name }}</small></label
                    >
                  }
                </ng-container>
              </rule-table>
            }
            @if (p.sample.length) {
              <h2>What would change{{ p.lines > p.sample.length ? ' (the first ' + p.sample.length + ')' : '' }}</h2>
              <rule-table label="Values that would change" [rows]="p.sample">
                <ng-container *ruleColumn="let line of p.sample; name: 'File'">
                  <rule-file [id]="line.file" [path]="line.path" /> <small class="soft">{{ line.holder }}</small>
                </ng-container>
                <ng-container *ruleColumn="let line of p.sample; name: 'Written name'; by: 'name'">
                  <rule-exact-name [name]="line.name" />
                </ng-container>
                <ng-container *ruleColumn="let line of p.sample; name: 'Now'; look: 'mono'; by: 'before'">{{ line.before ?? '—' }}</ng-container>
                <ng-container *ruleColumn="let line of p.sample; name: 'Becomes'; look: 'mono'">
                  <b>{{ line.after ?? 'goes' }}</b>
                </ng-container>
              </rule-table>
            }
            @if (p.leftOutSample.length || p.skipped.length || p.violationSample.length) {
              <h2>Left as they are, skipped, or against the schema</h2>
              <rule-table label="Values that are left out" [rows]="leftOut()">
                <ng-container *ruleColumn="let entry of leftOut()"><rule-file [id]="entry.file" [path]="entry.path" /></ng-container>
                <ng-container *ruleColumn="let entry of leftOut()">
                  @if (entry.bad) {
                    <span class="bad">{{ entry.name }}: {{ entry.message }}</span>
                  } @else {
                    {{ entry.name }}{{ entry.name ? ':' : '' }} <span class="mono">{{ entry.text }}</span> {{ entry.message }}
                  }
                </ng-container>
              </rule-table>
            }
          </div>
        } @else {
          <rule-waiting />
        }
      }
      <ng-template #footer>
        <p-button severity="secondary" label="Close" (onClick)="closed.emit()" />
        @if (mayEdit()) {
          <p-button
            [label]="'Put ' + (found.answer()?.lines ?? 0 | count: 'value') + ' in the tray'"
            [disabled]="!found.answer()?.lines || store.busy()"
            [loading]="store.busy()"
            (onClick)="put()"
          />
        }
      </ng-template>
    </p-dialog>
  `,
  styles: `
    .form {
      display: flex;
      flex-wrap: wrap;
      gap: 0 18px;
      align-items: flex-end;
    }
    .field {
      min-width: 190px;
    }
    fieldset {
      border: 0;
      padding: 0;
      margin: 0 0 12px;
      display: flex;
      gap: 12px;
      align-items: center;
    }
    legend {
      font:
        500 12px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
      margin-bottom: 3px;
    }
    .form > p {
      flex-basis: 100%;
      margin: 0 0 10px;
    }
    .scroll {
      max-height: 42vh;
      overflow: auto;
    }
    .scroll h2 {
      margin: 8px 0 2px;
    }
    .choice {
      display: inline-flex;
      gap: 5px;
      margin-right: 14px;
      align-items: baseline;
    }
  `,
})
export class CleanUpDialog {
  protected readonly found = inject(CleanUpPreviewStore);
  protected readonly store = inject(CleanUpStore);
  readonly action = input.required<CleanUp | null>();
  readonly filter = input.required<FileFilter>();
  /** The filter in words. */
  readonly scope = input.required<string>();
  readonly known = input.required<readonly string[]>();
  readonly closed = output();
  /** Lines were added to the tray. */
  readonly done = output();

  protected readonly mayEdit = inject(Store).selectSignal(sessionFeature.selectMayEdit);
  protected readonly rules = CLASH_RULES;
  protected readonly cases = CASES;
  protected readonly caseText = CASE_WORDS;
  protected readonly levels = LEVELS;
  protected readonly units = UNITS;
  protected readonly newline = '\n';
  protected readonly now = signal<CleanUp | null>(null);
  protected readonly chosenLevels = signal<readonly Level[]>([]);
  private readonly chosen = signal<CleanUpRequest['chosen']>([]);
  protected readonly title = computed(() => {
    const action = this.action();
    return action ? titleOf(action) : '';
  });

  constructor() {
    effect(() => {
      const action = this.action();
      untracked(() => {
        this.now.set(action);
        this.chosenLevels.set([]);
        this.chosen.set([]);
      });
    });
    effect(() => {
      const request = this.request();
      untracked(() => {
        this.store.forgetError();
        if (request) this.found.ask(request);
      });
    });
  }

  /** What would not be written, with the reason. */
  protected readonly leftOut = computed(() => {
    const preview = this.found.answer();
    if (!preview) return [];
    return [
      ...preview.violationSample.map((entry) => ({ ...entry, text: '', bad: true })),
      ...preview.leftOutSample.map((entry) => ({ ...entry, bad: false })),
      ...preview.skipped.map((entry) => ({ ...entry, name: '', text: '', bad: false })),
    ];
  });
  private readonly request = computed<CleanUpRequest | null>(() => {
    const action = this.now();
    if (
      !action ||
      ('to' in action && action.to === '') ||
      (action.do === 'split' && action.into.length < 2) ||
      (action.do === 'join' && action.names.length < 2)
    )
      return null;
    return { action, filter: this.filter(), levels: this.chosenLevels(), chosen: this.chosen() };
  });

  protected ruleText(rule: ClashRule): string {
    return {
      'keep the target': "keep the target's",
      'keep the source': "take the other name's",
      'keep the filled one': 'keep the filled one, ask otherwise',
      ask: 'ask',
    }[rule];
  }
  protected edit(change: Partial<Record<string, unknown>>): void {
    this.now.update((action) => action && { ...action, ...change });
  }
  protected lines(text: string): string[] {
    return text.split('\n').filter((line) => line !== '');
  }
  protected toggle(level: Level): void {
    this.chosenLevels.update((list) => (list.includes(level) ? list.filter((other) => other !== level) : [...list, level]));
  }
  protected isChosen(file: number, holder: string, name: string): boolean {
    return this.chosen().some((entry) => entry.file === file && entry.holder === holder && entry.name === name);
  }
  protected choose(file: number, holder: string, name: string): void {
    this.chosen.update((list) => [...list.filter((entry) => entry.file !== file || entry.holder !== holder), { file, holder, name }]);
  }

  protected put(): void {
    const request = this.request();
    if (request)
      this.store.put(request, () => {
        this.done.emit();
        this.closed.emit();
      });
  }
}
