import { ChangeDetectionStrategy, Component, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { NamingRule } from '@rule/core/naming';
import { KINDS, Kind } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleField } from '../rule-field';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { Count, FileLink, sessionFeature, trayFeature, Unsaved } from '../shared';
import { NamingStore } from './naming.store';
import { SchemaStore } from './schema.store';

/** File naming rules and their effects. */
@Component({
  selector: 'rule-file-names',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [NamingStore],
  imports: [RuleColumn, RuleTable, RuleOption, RuleSelect, ButtonModule, Count, FileLink, FormsModule, InputTextModule, RuleField, RuleCheck],
  template: `
    <div class="head">
      <div>
        <h1>File names</h1>
        <p class="soft">Files can be named from their values. References in drawings and assemblies follow, and the whole change can be undone.</p>
      </div>
      @if (mayAdminister()) {
        <div class="actions">
          <p-button severity="secondary" label="Add a rule" (onClick)="add()" />
          <p-button label="Save the rules" [disabled]="!naming.changed()" (onClick)="naming.save()" />
        </div>
      }
    </div>
    @if (naming.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @for (rule of naming.rules(); track $index; let i = $index) {
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
      @if (naming.loaded()) {
        <p class="note">No naming rules. Files keep the names that people give them.</p>
      }
    }
    @if (naming.plan(); as p) {
      @if (p.total) {
        <section class="card" aria-label="Files that would be renamed">
          <div class="head">
            <h2>{{ p.total | count: 'file has' : 'files have' }} another name than the rules give</h2>
            @if (mayEdit()) {
              <div class="actions">
                @if (naming.renames().length) {
                  <p-button [label]="'Put ' + (naming.renames().length | count: 'new name') + ' in the tray'" (onClick)="naming.rename()" />
                }
                @if (naming.copies().length) {
                  <label><rule-check [checked]="replace()" (flip)="replace.set(!replace())" /> in place of the originals in drawings and assemblies</label>
                  <p-button [label]="'Make ' + (naming.copies().length | count: 'copy')" (onClick)="naming.copy(replace())" />
                }
              </div>
            }
          </div>
          <rule-table label="Names of files" [rows]="p.rows" key="file">
            <ng-container *ruleColumn="let row of p.rows; name: 'File'; by: 'path'">
              <rule-file [id]="row.file" [path]="row.path" />
            </ng-container>
            <ng-container *ruleColumn="let row of p.rows; name: 'Name by its values'; look: 'mono'">
              {{ row.wanted ?? '' }} <span class="chip">{{ row.mode }}</span>
            </ng-container>
            <ng-container *ruleColumn="let row of p.rows; name: 'Named by'">
              @for (link of row.links; track link.file + link.how) {
                <span class="named"><rule-file [id]="link.file" [path]="link.path" /> {{ link.how }}</span>
              }
            </ng-container>
            <ng-container *ruleColumn="let row of p.rows; look: 'warn'">{{ row.problem }}</ng-container>
          </rule-table>
          @if (p.total > p.rows.length) {
            <p class="soft">{{ p.rows.length }} are taken at a time; all are counted.</p>
          }
        </section>
      } @else if (naming.rules().length && !naming.changed()) {
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
  protected readonly naming = inject(NamingStore);
  private readonly global = inject(Store);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  private readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  protected readonly kinds = KINDS;
  protected readonly replace = signal(true);

  constructor() {
    inject(Unsaved).watch(() => (this.naming.changed() ? 'the rules for file names' : null));
    this.naming.load();
    effect(() => {
      this.applied();
      untracked(() => this.naming.look());
    });
  }

  protected add(): void {
    this.naming.set([...this.naming.rules(), { kinds: ['part'], classes: [], rule: '', mode: 'rename', folder: '' }]);
  }
  protected edit(at: number, change: Partial<NamingRule>): void {
    this.naming.set(this.naming.rules().map((rule, i) => (i === at ? { ...rule, ...change } : rule)));
  }
  protected toggleKind(at: number, kind: Kind): void {
    const kinds = this.naming.rules()[at]!.kinds;
    const next = KINDS.filter((one) => (one === kind ? !kinds.includes(one) : kinds.includes(one)));
    if (next.length) this.edit(at, { kinds: next });
  }
  protected drop(at: number): void {
    this.naming.set(this.naming.rules().filter((_, i) => i !== at));
  }
}
