import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleChoices, RuleColumn, RuleSelect, RuleTable, RuleTip, RuleWaiting } from '../kit';
import { Count, FileChoices, FileLink, sessionFeature, showInstant } from '../shared';
import { StartFilesStore } from './start-files.store';

/** Start files: publishing, and files based on older ones. */
@Component({
  selector: 'rule-start-files',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [StartFilesStore],
  imports: [RuleTip, RuleColumn, RuleTable, RuleWaiting, ButtonModule, RuleCheck, Count, FileLink, FormsModule, InputTextModule, RuleChoices, RuleSelect],
  template: `
    <div class="head">
      <div>
        <h1>Start files</h1>
        <p class="soft">Empty parts, assemblies and drawings with all names in place, as templates for new work.</p>
      </div>
    </div>
    @if (store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (store.view(); as v) {
      @if (v.published; as p) {
        <p [class.note]="p.edition !== v.inForce">
          Published from edition {{ p.edition }}, {{ when(p.at) }}{{ p.by ? ', by ' + p.by : '' }}, into <span class="mono">{{ v.folder }}</span>.
          @if (p.edition !== v.inForce) {
            Edition {{ v.inForce }} is in force by now.
          }
        </p>
      } @else {
        <p class="note">None are published yet.</p>
      }
      @if (mayAdminister()) {
        <section class="card" aria-label="What is published">
          <div class="plan">
            <label class="field">
              <span>Folder on the server</span>
              <input pInputText [placeholder]="v.folder" [ngModel]="store.plan()!.folder" (ngModelChange)="store.set({ folder: $event.trim() })" />
              <small>If empty, they are kept in Rule's own data and can be downloaded here.</small>
            </label>
            <div class="field">
              <span id="start-bases">Drawings that start drawings are copies of</span>
              <rule-choices
                searches
                labelledBy="start-bases"
                placeholder="none"
                [options]="bases()"
                optionLabel="path"
                optionValue="id"
                [ngModel]="store.plan()!.drawings"
                (ngModelChange)="choose($event)"
                (opened)="candidates.look('')"
                (searched)="candidates.look($event)"
              />
              <small>Blocks, logos, pictures and styles stay; cells that Rule fills are blanked. Their model must be empty.</small>
            </div>
            <div class="field">
              <span id="start-block">Title block of drawings that are made anew</span>
              <rule-select
                labelledBy="start-block"
                placeholder="none"
                clear
                [options]="$any(v.blocks)"
                [ngModel]="store.plan()!.block"
                (ngModelChange)="store.set({ block: $event })"
              />
            </div>
            <div class="field">
              <span id="start-unit">Unit</span>
              <rule-select
                labelledBy="start-unit"
                [options]="units"
                optionLabel="text"
                optionValue="value"
                [ngModel]="store.plan()!.unit"
                (ngModelChange)="store.set({ unit: $event })"
              />
            </div>
          </div>
          <fieldset class="field">
            <legend>Sheet sizes that are made anew</legend>
            @for (sheet of v.sheets; track sheet.name + sheet.practice) {
              <label><rule-check [checked]="store.plan()!.sheets.includes(sheet.name)" (flip)="toggleSheet(sheet.name)" /> {{ sheet.name }}</label>
            }
          </fieldset>
          <p-button
            label="Compare with published files"
            [disabled]="store.busy() || store.plan()!.sheets.length + store.plan()!.drawings.length === 0"
            (onClick)="store.compare()"
          />
        </section>
      }
      @if (store.compared(); as rows) {
        <section class="card" aria-label="What publishing would do">
          <h2>What publishing would do</h2>
          <rule-table label="Start files that would be written" [rows]="rows" key="name">
            <ng-container *ruleColumn="let row of rows; name: 'File'; look: 'mono'; by: 'name'">{{ row.name }}</ng-container>
            <ng-container *ruleColumn="let row of rows; name: 'Effect'">
              <span class="chip" [class.good]="row.effect === 'new'" [class.warn]="row.effect === 'replaced' || row.effect === 'removed'">{{
                row.effect
              }}</span>
            </ng-container>
            <ng-container *ruleColumn="let row of rows; name: 'Names that come'; look: 'mono'">
              {{ row.effect === 'new' ? row.added.length + ' names' : row.added.join(', ') }}
            </ng-container>
            <ng-container *ruleColumn="let row of rows; name: 'Names that go'; look: 'mono'">{{ row.removed.join(', ') }}</ng-container>
            <ng-container *ruleColumn="let row of rows; look: 'warn'">{{ row.warning }}</ng-container>
          </rule-table>
          <div class="actions below">
            <p-button
              [label]="changing() ? 'Publish: ' + (changing() | count: 'file changes' : 'files change') : 'Everything stands as it should'"
              [disabled]="store.busy() || !changing()"
              (onClick)="publish()"
            />
          </div>
        </section>
      }
      @if (v.files.length) {
        <section class="card" aria-label="Published files">
          <h2>Published files</h2>
          <rule-table label="Published start files" [rows]="v.files" key="name">
            <ng-container *ruleColumn="let file of v.files; name: 'File'">
              @if (file.stands === 'gone') {
                <span class="mono">{{ file.name }}</span>
              } @else {
                <a class="mono" [href]="'/api/start-files/file?name=' + encoded(file.name)" [attr.download]="file.name">{{ file.name }}</a>
              }
            </ng-container>
            <ng-container *ruleColumn="let file of v.files; name: 'Class'; by: 'class'">{{ file.class ?? '' }}</ng-container>
            <ng-container *ruleColumn="let file of v.files; name: 'Sheet'; by: 'sheet'">{{ file.sheet ?? '' }}</ng-container>
            <ng-container *ruleColumn="let file of v.files; name: 'Names'; num: true">
              <span [ruleTip]="file.names.join(', ')">{{ file.names.length }}</span>
            </ng-container>
            <ng-container *ruleColumn="let file of v.files; name: 'In the folder'; by: 'stands'">
              <span [class.warn]="file.stands !== 'as published'">{{ file.stands }}</span>
            </ng-container>
          </rule-table>
        </section>
      }
      @if (store.older(); as o) {
        @if (o.total) {
          <section class="card" aria-label="Files made from an older start file">
            <h2>{{ o.total | count: 'file was' : 'files were' }} made from an older start file</h2>
            <rule-table label="Files of older editions" [rows]="o.files" key="file">
              <ng-container *ruleColumn="let file of o.files; name: 'File'; by: 'path'">
                <rule-file [id]="file.file" [path]="file.path" />
              </ng-container>
              <ng-container *ruleColumn="let file of o.files; name: 'Edition'; num: true; by: 'edition'">{{ file.edition }}</ng-container>
              <ng-container *ruleColumn="let file of o.files; name: 'Lacks'; look: 'mono'">{{ file.lacks.join(', ') }}</ng-container>
              <ng-container *ruleColumn="let file of o.files; look: 'warn'">{{ file.reason }}</ng-container>
            </rule-table>
            @if (mayEdit()) {
              <div class="actions below"><p-button label="Put the missing names in the tray" (onClick)="store.bringUp()" /></div>
            }
          </section>
        }
      }
    } @else if (!store.error()) {
      <rule-waiting />
    }
  `,
  styles: `
    .plan {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(200px, 1fr));
      gap: 0 18px;
    }
    fieldset {
      border: 0;
      padding: 0;
      margin: 0 0 12px;
    }
    legend {
      font:
        500 12px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
      padding: 0;
    }
    fieldset label {
      display: inline-flex;
      vertical-align: top;
      gap: 6px;
      align-items: center;
      margin-right: 14px;
      white-space: nowrap;
    }
    .plan rule-select,
    .plan rule-choices,
    .plan input {
      width: 100%;
    }
    .below {
      margin-top: 10px;
    }
  `,
})
export class StartFiles {
  protected readonly store = inject(StartFilesStore);
  private readonly global = inject(Store);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly changing = computed(() => (this.store.compared() ?? []).filter((row) => row.effect !== 'unchanged' && row.effect !== 'kept').length);
  protected readonly units = [
    { text: 'millimetre', value: 'mm' },
    { text: 'inch', value: 'in' },
  ];
  protected readonly candidates = new FileChoices(['drawing']);
  /** Chosen drawings with their paths. */
  private readonly chosen = signal<readonly { readonly id: number; readonly path: string }[]>([]);
  protected readonly bases = computed(() => {
    const chosen = this.chosen();
    return [...chosen, ...this.candidates.files().filter((file) => !chosen.some((other) => other.id === file.id))];
  });
  protected readonly when = showInstant;
  protected readonly encoded = encodeURIComponent;

  constructor() {
    this.store.load(({ drawings }) => this.chosen.set(drawings));
  }
  protected choose(drawings: readonly number[]): void {
    this.chosen.set(this.bases().filter(({ id }) => drawings.includes(id)));
    this.store.set({ drawings });
  }
  protected toggleSheet(name: string): void {
    const sheets = this.store.plan()!.sheets;
    this.store.set({ sheets: sheets.includes(name) ? sheets.filter((other) => other !== name) : [...sheets, name] });
  }
  protected publish(): void {
    this.store.publish(({ drawings }) => this.chosen.set(drawings));
  }
}
