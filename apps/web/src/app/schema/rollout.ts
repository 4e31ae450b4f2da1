import { ChangeDetectionStrategy, Component, computed, inject, output } from '@angular/core';
import { RolloutRow } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { RuleColumn, RuleTable, RuleWaiting } from '../kit';
import { catalogueFeature, FileLink, sessionFeature } from '../shared';
import { RolloutStore } from './rollout.store';
import { SchemaStore } from './schema.store';

interface Row extends RolloutRow {
  readonly of: Property;
}

/** Rollout of the edition in force, and how to continue. */
@Component({
  selector: 'rule-rollout',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [RolloutStore],
  imports: [RuleColumn, RuleTable, RuleWaiting, FileLink],
  template: `
    <div class="head">
      <div>
        <h1>Rollout</h1>
        <p class="soft">How files comply with the edition in force. Actions add lines to your tray; files that cannot be written now stay listed.</p>
      </div>
    </div>
    @if (store.rollout() === null) {
      <rule-waiting />
    } @else {
      <div class="card">
        <rule-table label="Properties and their files" [rows]="rows()" key="property">
          <ng-container *ruleColumn="let row of rows(); name: 'Property'">
            <button type="button" class="link" (click)="opened.emit(row.property)">{{ row.of.caption }}</button>
            @if (row.of.retired) {
              <span class="chip warn">retired</span>
            }
          </ng-container>
          <ng-container *ruleColumn="let row of rows(); name: 'Files reached'; num: true">{{ row.of.retired ? '' : row.reached }}</ng-container>
          <ng-container *ruleColumn="let row of rows(); name: 'Have the name'; num: true">
            @if (row.named < row.reached) {
              <button
                type="button"
                class="link"
                [attr.aria-label]="row.named + ' of ' + row.reached + ' have the name ' + row.of.caption + ': show those that lack it'"
                (click)="rollout.list(row.property)"
              >
                {{ row.named }}
              </button>
            } @else {
              {{ row.of.retired ? '' : row.named }}
            }
          </ng-container>
          <ng-container *ruleColumn="let row of rows(); name: 'Filled'; num: true">{{ row.of.retired ? '' : row.filled }}</ng-container>
          <ng-container *ruleColumn="let row of rows(); name: 'Under another name'; num: true; by: 'otherName'">
            <span [class.warn]="row.otherName">{{ row.otherName || '' }}</span>
          </ng-container>
          <ng-container *ruleColumn="let row of rows(); name: 'Lack it, cannot be written'; num: true; by: 'barred'">
            <span [class.warn]="row.barred">{{ row.barred || '' }}</span>
          </ng-container>
          <ng-container *ruleColumn="let row of rows(); name: 'Left over'; num: true; by: 'left'">
            <span [class.warn]="row.left">{{ row.left || '' }}</span>
          </ng-container>
          <ng-container *ruleColumn="let row of rows(); said: 'Actions'; look: 'nowrap'">
            @if (mayEdit()) {
              @if (row.otherName) {
                <button type="button" class="link" [attr.aria-label]="'Rename to ' + row.of.writtenName" (click)="rollout.act(row.property, 'rename')">
                  Rename
                </button>
              }
              @if (!row.of.retired && row.named + row.barred < row.reached && isTyped(row.of)) {
                <button type="button" class="link" [attr.aria-label]="'Add the name ' + row.of.writtenName" (click)="rollout.act(row.property, 'add the name')">
                  Add the name
                </button>
              }
              @if (!row.of.retired && isComputed(row.of)) {
                <button type="button" class="link" [attr.aria-label]="'Compute ' + row.of.caption" (click)="rollout.act(row.property, 'compute')">
                  Compute
                </button>
              }
              @if (row.left) {
                <button
                  type="button"
                  class="link"
                  [attr.aria-label]="'Remove left over values of ' + row.of.caption"
                  (click)="rollout.act(row.property, 'remove')"
                >
                  Remove {{ row.left }}
                </button>
              }
            }
          </ng-container>
        </rule-table>
      </div>
      @if (missing(); as m) {
        <h2>Files without {{ m.row.of.caption }}</h2>
        <div class="card">
          <rule-table label="Files that lack the name" [rows]="m.files" key="file">
            <ng-container *ruleColumn="let file of m.files">
              <rule-file [id]="file.file" [path]="file.path" />
            </ng-container>
            <ng-container *ruleColumn="let file of m.files">
              <span [class.warn]="file.reason">{{ file.reason ?? 'can be written' }}</span>
            </ng-container>
          </rule-table>
        </div>
      }
    }
  `,
  styles: `
    .card {
      margin-bottom: 14px;
    }
  `,
})
export class RolloutView {
  protected readonly store = inject(SchemaStore);
  protected readonly rollout = inject(RolloutStore);
  private readonly global = inject(Store);
  readonly opened = output<number>();
  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  private readonly byId = this.global.selectSignal(catalogueFeature.selectById);
  protected readonly rows = computed(() =>
    (this.store.rollout() ?? []).flatMap((row): Row[] => {
      const of = this.byId()[row.property];
      return of && (!of.retired || row.left > 0) && of.feed !== 'file' && of.level === 'document' ? [{ ...row, of }] : [];
    }),
  );
  protected readonly missing = computed(() => {
    const missing = this.rollout.missing();
    const row = this.rows().find((candidate) => candidate.property === missing?.property);
    return missing && row ? { row, files: missing.files } : null;
  });

  constructor() {
    this.store.loadRollout();
  }

  protected isTyped(property: Property): boolean {
    return property.feed === 'typed' || property.feed === 'inherited';
  }
  protected isComputed(property: Property): boolean {
    return property.feed === 'ruled' || property.feed === 'model' || property.feed === 'inherited';
  }
}
