import { ChangeDetectionStrategy, Component, inject, model, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Library } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleRadio } from '../kit';
import { LibrariesStore } from './libraries.store';

/** Adds a library: a folder on the server, or files that are uploaded. */
@Component({
  selector: 'rule-add-library',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, DialogModule, FormsModule, InputTextModule, RuleRadio],
  template: `
    <p-dialog closeAriaLabel="Close" header="Add a library" [modal]="true" [visible]="open()" (visibleChange)="open.set($event)" [style]="{ width: '460px' }">
      <form (ngSubmit)="add()">
        <label class="field"><span>Name of the library</span><input pInputText name="name" [ngModel]="name()" (ngModelChange)="name.set($event)" /></label>
        <div class="field" role="radiogroup" aria-label="Where its files are">
          <label><rule-radio name="kind" [checked]="kind() === 'folder'" (choose)="kind.set('folder')" /> a folder on the server, read where it stands</label
          ><br /><label><rule-radio name="kind" [checked]="kind() === 'upload'" (choose)="kind.set('upload')" /> uploaded files</label>
        </div>
        @if (kind() === 'folder') {
          <label class="field"
            ><span>Folder on the server</span><input pInputText name="path" class="mono" [ngModel]="path()" (ngModelChange)="path.set($event)" /><small
              >All files in it and below it are read; reading changes nothing.</small
            ></label
          >
        }
        @if (store.error(); as text) {
          <p class="note bad" role="alert">{{ text }}</p>
        }
        <p-button
          type="submit"
          [label]="kind() === 'folder' ? 'Register and read' : 'Begin the library'"
          [disabled]="!name().trim() || (kind() === 'folder' && !path().trim())"
          [loading]="store.busy()"
        />
      </form>
    </p-dialog>
  `,
})
export class AddLibrary {
  readonly open = model.required<boolean>();
  /** The number of a library for uploads, `null` for a folder that is being read. */
  readonly added = output<number | null>();
  protected readonly store = inject(LibrariesStore);
  protected readonly name = signal('');
  protected readonly kind = signal<Library['kind']>('folder');
  protected readonly path = signal('');

  protected add(): void {
    const added = (library: number | null) => {
      this.open.set(false);
      this.name.set('');
      this.path.set('');
      this.added.emit(library);
    };
    if (this.kind() === 'upload') this.store.addUpload(this.name().trim(), added);
    else this.store.addFolder({ name: this.name().trim(), path: this.path().trim() }, () => added(null));
  }
}
