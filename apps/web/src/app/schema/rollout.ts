import { ChangeDetectionStrategy, Component, computed, inject, output } from '@angular/core';
import { RolloutRow } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { RuleWaiting } from '../kit';
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
  imports: [RuleWaiting, FileLink],
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
        <table class="list">
          <thead>
            <tr>
              <th>Property</th>
              <th class="num">Files reached</th>
              <th class="num">Have the name</th>
              <th class="num">Filled</th>
              <th class="num">Under another name</th>
              <th class="num">Lack it, cannot be written</th>
              <th class="num">Left over</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            @for (row of rows(); track row.property) {
              <tr>
                <td>
                  <button type="button" class="link" (click)="opened.emit(row.property)">{{ row.of.caption }}</button>
                  @if (row.of.retired) {
                    <span class="chip warn">retired</span>
                  }
                </td>
                <td class="num">{{ row.of.retired ? '' : row.reached }}</td>
                <td class="num">
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
                </td>
                <td class="num">{{ row.of.retired ? '' : row.filled }}</td>
                <td class="num" [class.warn]="row.otherName">{{ row.otherName || '' }}</td>
                <td class="num" [class.warn]="row.barred">{{ row.barred || '' }}</td>
                <td class="num" [class.warn]="row.left">{{ row.left || '' }}</td>
                <td class="acts">
                  @if (mayEdit()) {
                    @if (row.otherName) {
                      <button type="button" class="link" [attr.aria-label]="'Rename to ' + row.of.writtenName" (click)="rollout.act(row.property, 'rename')">
                        Rename
                      </button>
                    }
                    @if (!row.of.retired && row.named + row.barred < row.reached && isTyped(row.of)) {
                      <button
                        type="button"
                        class="link"
                        [attr.aria-label]="'Add the name ' + row.of.writtenName"
                        (click)="rollout.act(row.property, 'add the name')"
                      >
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
                </td>
              </tr>
            }
          </tbody>
        </table>
      </div>
      @if (missing(); as m) {
        <h2>Files without {{ m.row.of.caption }}</h2>
        <div class="card">
          <table class="list">
            <tbody>
              @for (file of m.files; track file.file) {
                <tr>
                  <td><rule-file [id]="file.file" [path]="file.path" /></td>
                  <td [class.warn]="file.reason">{{ file.reason ?? 'can be written' }}</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      }
    }
  `,
  styles: `
    .acts .link {
      margin-right: 10px;
      white-space: nowrap;
    }
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
