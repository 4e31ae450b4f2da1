import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileFilter } from '@rule/contract';
import { KINDS, Kind } from '@rule/core/schema';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleOption, RuleSelect } from '../kit';
import { Count, ExactName } from '../shared';
import { CopyStore } from './file.store';

/** Dialog: values of a file copied to other files. */
@Component({
  selector: 'rule-copy-values',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [CopyStore],
  imports: [ButtonModule, Count, DialogModule, ExactName, FormsModule, InputTextModule, RuleOption, RuleSelect],
  template: `
    <p-dialog
      closeAriaLabel="Close"
      header="Copy values to other files"
      [modal]="true"
      [visible]="true"
      (visibleChange)="closed.emit()"
      [style]="{ width: '520px' }"
    >
      <form (ngSubmit)="copy()">
        <p>
          @for (name of names(); track name) {
            <span class="chip"><rule-exact-name [name]="name" /></span>&ngsp;
          }
        </p>
        <label class="field"
          ><span>To files of the kind</span>
          <rule-select name="kind" [ngModel]="toKind()" (ngModelChange)="toKind.set($event)">
            @for (kind of kinds; track kind) {
              <rule-option [value]="kind" label="{{ kind }}" />
            }</rule-select
        ></label>
        <label class="field"
          ><span>In the folder and below it</span><input pInputText class="mono" name="folder" [ngModel]="toFolder()" (ngModelChange)="toFolder.set($event)"
        /></label>
        <label class="field"
          ><span>That hold, in their path or a value</span><input pInputText name="search" [ngModel]="toSearch()" (ngModelChange)="toSearch.set($event)"
        /></label>
        <p class="soft" role="status">{{ store.reached() === null ? '…' : (store.reached() | count: 'file') }} answer to this.</p>
        <p-button type="submit" label="Put the copies in the tray" [disabled]="!store.reached()" />
      </form>
    </p-dialog>
  `,
})
export class CopyValues {
  protected readonly store = inject(CopyStore);
  readonly from = input.required<number>();
  readonly names = input.required<readonly string[]>();
  readonly closed = output();
  protected readonly toKind = signal<Kind>('part');
  protected readonly toFolder = signal('');
  protected readonly toSearch = signal('');
  protected readonly kinds = KINDS;
  private readonly target = computed<FileFilter>(() => ({
    kind: this.toKind(),
    ...(this.toFolder().trim() ? { folder: this.toFolder().trim() } : {}),
    ...(this.toSearch().trim() ? { search: this.toSearch().trim() } : {}),
  }));

  constructor() {
    effect(() => {
      const target = this.target();
      untracked(() => this.store.reach(target));
    });
  }

  protected copy(): void {
    this.store.copy(this.from(), this.names(), this.target(), () => this.closed.emit());
  }
}
