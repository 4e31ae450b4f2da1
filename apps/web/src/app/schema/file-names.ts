import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { NamingPlan } from '@rule/contract';
import { NamingRule } from '@rule/core/naming';
import { KINDS, Kind, sameDefinition } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { finalize } from 'rxjs';
import { RuleField } from '../rule-field';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import { Api, Count, FileLink, inPieces, Notices, problemOf, sessionFeature, TrayActions, trayFeature, Unsaved } from '../shared';
import { SchemaStore } from './schema.store';

/** Plan rows shown. */
const MOST_SHOWN = 300;

/** File naming rules and their effects. */
@Component({
  selector: 'rule-file-names',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleOption, RuleSelect, ButtonModule, Count, FileLink, FormsModule, InputTextModule, RuleField, RuleCheck],
  template: `
    <div class="head">
      <div>
        <h1>File names</h1>
        <p class="soft">Files can be named from their values. References in drawings and assemblies follow, and the whole change can be undone.</p>
      </div>
      @if (mayAdminister()) {
        <div class="actions">
          <button pButton type="button" class="p-button-text" (click)="add()">Add a rule</button>
          <button pButton type="button" [disabled]="!changed()" (click)="save()">Save the rules</button>
        </div>
      }
    </div>
    @if (error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @for (rule of rules(); track $index; let i = $index) {
      <section class="card" [attr.aria-label]="'Naming rule ' + (i + 1)">
        <div class="line">
          <div class="field" role="group" [attr.aria-label]="'Kinds of rule ' + (i + 1)">
            <span>For</span>
            @for (kind of kinds; track kind) {
              <label class="tick"
                ><rule-check [disabled]="!mayAdminister()" [checked]="rule.kinds.includes(kind)" (flip)="toggleKind(i, kind)" /> {{ kind }}</label
              >
            }
          </div>
          <label class="field">
            <span>Class</span>
            <rule-select [disabled]="!mayAdminister()" [ngModel]="rule.classes[0] ?? ''" (ngModelChange)="edit(i, { classes: $event ? [$event] : [] })">
              <rule-option value="" label="every class" />
              @for (name of store.classes(); track name) {
                <rule-option [value]="name" label="{{ name }}" />
              }
            </rule-select>
          </label>
          <label class="field">
            <span>When a file name no longer matches</span>
            <rule-select [disabled]="!mayAdminister()" [ngModel]="rule.mode" (ngModelChange)="edit(i, { mode: $event })">
              <rule-option value="rename" label="is renamed" />
              <rule-option value="copy" label="stays; a copy gets the new name" />
            </rule-select>
          </label>
          @if (rule.mode === 'copy') {
            <label class="field">
              <span>Folder for copies</span>
              <input
                pInputText
                placeholder="the file's own"
                [disabled]="!mayAdminister()"
                [ngModel]="rule.folder"
                (ngModelChange)="edit(i, { folder: $event.trim() })"
              />
            </label>
          }
          @if (mayAdminister()) {
            <button type="button" class="link" [attr.aria-label]="'Remove rule ' + (i + 1)" (click)="drop(i)">Remove</button>
          }
        </div>
        <div class="field">
          <span>Name, without its ending</span>
          <rule-rule-field
            [label]="'Name by rule ' + (i + 1)"
            purpose="value"
            [properties]="store.properties()"
            [value]="rule.rule"
            [disabled]="!mayAdminister()"
            hint='Part number + "_" + Revision'
            (changed)="edit(i, { rule: $event })"
          />
        </div>
      </section>
    } @empty {
      @if (loaded()) {
        <p class="note">No naming rules. Files keep the names that people give them.</p>
      }
    }
    @if (plan(); as p) {
      @if (p.total) {
        <section class="card" aria-label="Files that would be renamed">
          <div class="head">
            <h2>{{ p.total | count: 'file has' : 'files have' }} another name than the rules give</h2>
            @if (mayEdit()) {
              <div class="actions">
                @if (renames().length) {
                  <button pButton type="button" (click)="rename()">Put {{ renames().length | count: 'new name' }} in the tray</button>
                }
                @if (copies().length) {
                  <label><rule-check [checked]="replace()" (flip)="replace.set(!replace())" /> in place of the originals in drawings and assemblies</label>
                  <button pButton type="button" (click)="copy()">Make {{ copies().length | count: 'copy' }}</button>
                }
              </div>
            }
          </div>
          <table class="list">
            <thead>
              <tr>
                <th>File</th>
                <th>Name by its values</th>
                <th>Named by</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              @for (row of p.rows.slice(0, most); track row.file) {
                <tr>
                  <td><rule-file [id]="row.file" [path]="row.path" /></td>
                  <td class="mono">
                    {{ row.wanted ?? '' }} <span class="chip">{{ row.mode }}</span>
                  </td>
                  <td>
                    @for (link of row.links; track link.file + link.how) {
                      <span class="named"><rule-file [id]="link.file" [path]="link.path" /> {{ link.how }}</span>
                    }
                  </td>
                  <td class="warn">{{ row.problem }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (p.total > p.rows.length) {
            <p class="soft">{{ p.rows.length }} are taken at a time, of which the first {{ most }} are shown; all are counted.</p>
          } @else if (p.total > most) {
            <p class="soft">The first {{ most }} are shown.</p>
          }
        </section>
      } @else if (rules().length && !changed()) {
        <p class="note">All file names match their values.</p>
      }
    }
  `,
  styles: `
    .line {
      display: flex;
      flex-wrap: wrap;
      gap: 0 20px;
      align-items: end;
    }
    .line > .link {
      margin: 0 0 18px auto;
    }
    .tick {
      margin-right: 10px;
    }
    .named {
      display: block;
    }
  `,
})
export class FileNames {
  protected readonly store = inject(SchemaStore);
  private readonly api = inject(Api);
  private readonly global = inject(Store);
  private readonly notices = inject(Notices);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  private readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  protected readonly kinds = KINDS;
  protected readonly most = MOST_SHOWN;
  protected readonly rules = signal<readonly NamingRule[]>([]);
  private readonly saved = signal<readonly NamingRule[]>([]);
  protected readonly loaded = signal(false);
  protected readonly plan = signal<NamingPlan | null>(null);
  protected readonly error = signal<string | null>(null);
  protected readonly replace = signal(true);
  protected readonly changed = computed(() => !sameDefinition(this.rules(), this.saved()));
  private readonly good = computed(() => (this.plan()?.rows ?? []).filter((row) => row.problem === null));
  protected readonly renames = computed(() => this.good().filter((row) => row.mode === 'rename'));
  protected readonly copies = computed(() => this.good().filter((row) => row.mode === 'copy'));

  constructor() {
    inject(Unsaved).watch(() => (this.changed() ? 'the rules for file names' : null));
    this.api.naming().subscribe({
      next: ({ rules }) => {
        this.rules.set(rules);
        this.saved.set(rules);
        this.loaded.set(true);
      },
      error: (failure: unknown) => this.error.set(problemOf(failure).detail),
    });
    effect(() => {
      this.applied();
      untracked(() => this.look());
    });
  }

  private look(): void {
    this.api.namingPlan().subscribe({ next: (plan) => this.plan.set(plan), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
  }
  protected add(): void {
    this.rules.update((rules) => [...rules, { kinds: ['part'], classes: [], rule: '', mode: 'rename', folder: '' }]);
  }
  protected edit(at: number, change: Partial<NamingRule>): void {
    this.rules.update((rules) => rules.map((rule, i) => (i === at ? { ...rule, ...change } : rule)));
  }
  protected toggleKind(at: number, kind: Kind): void {
    const kinds = this.rules()[at]!.kinds;
    const next = KINDS.filter((one) => (one === kind ? !kinds.includes(one) : kinds.includes(one)));
    if (next.length) this.edit(at, { kinds: next });
  }
  protected drop(at: number): void {
    this.rules.update((rules) => rules.filter((_, i) => i !== at));
  }
  protected save(): void {
    this.api.saveNaming({ rules: this.rules() }).subscribe({
      next: ({ rules }) => {
        this.rules.set(rules);
        this.saved.set(rules);
        this.error.set(null);
        this.look();
      },
      error: (failure: unknown) => this.error.set(problemOf(failure).detail),
    });
  }
  protected rename(): void {
    this.api.namesToTray(this.renames().map((row) => row.file)).subscribe({
      next: ({ lines, barred }) => {
        this.global.dispatch(TrayActions.load());
        const left = barred === 0 ? '' : ` ${count(barred, 'file')} cannot be renamed.`;
        this.notices.done(`${count(lines, 'line')} added to your tray.${left}`);
      },
      error: this.notices.failed,
    });
  }
  protected copy(): void {
    const replace = this.replace();
    inPieces(
      this.copies().map((row) => row.file),
      500,
      (files) => this.api.copyUnderNewNames({ files, replace }),
    )
      .pipe(
        finalize(() => {
          // Reloads after a refusal too: earlier parts are done.
          this.global.dispatch(TrayActions.load());
          this.look();
        }),
      )
      .subscribe({
        next: (answers) => {
          const copied = answers.reduce((sum, answer) => sum + answer.copied.length, 0);
          const lines = answers.reduce((sum, answer) => sum + answer.lines, 0);
          this.notices.done(`${count(copied, 'copy', 'copies')} made.${lines ? ` ${count(lines, 'drawing')} added to your tray to show them.` : ''}`);
        },
        error: this.notices.failed,
      });
  }
}
