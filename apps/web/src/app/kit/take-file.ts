import { ChangeDetectionStrategy, Component, booleanAttribute, input, output, signal } from '@angular/core';
import { ButtonModule } from 'primeng/button';
import { Dropped, droppedFiles } from './dropped';

/** The kit's area that takes files: dropped on it, or chosen with its button. What it holds stands above the button. */
@Component({
  selector: 'rule-take-file',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule],
  host: {
    '[class.over]': 'over()',
    '(dragover)': 'hover($event)',
    '(dragleave)': 'over.set(false)',
    '(drop)': 'dropped($event)',
  },
  template: `
    <ng-content />
    @if (!disabled()) {
      <input
        #field
        type="file"
        class="visually-hidden"
        tabindex="-1"
        [attr.aria-label]="fieldLabel() || label()"
        [accept]="accept()"
        [multiple]="multiple()"
        (change)="picked(field)"
      />
      <span class="line">
        @if (quiet()) {
          <button type="button" class="link" (click)="field.click()">{{ label() }}</button>
        } @else {
          <p-button severity="secondary" [label]="label()" [loading]="loading()" (onClick)="field.click()" />
        }
        @if (folders()) {
          <input #folder type="file" webkitdirectory class="visually-hidden" tabindex="-1" [attr.aria-label]="folders()" (change)="picked(folder)" />
          <p-button severity="secondary" label="Choose a folder …" (onClick)="folder.click()" />
        }
        @if (hint()) {
          <span class="soft">{{ hint() }}</span>
        }
      </span>
    }
  `,
  styles: `
    :host {
      display: block;
      border-radius: 4px;
    }
    :host(.over) {
      outline: 2px dashed var(--verdigris);
      background: var(--verdigris-tint);
    }
    .line {
      display: inline-flex;
      gap: 10px;
      align-items: center;
    }
  `,
})
export class RuleTakeFile {
  readonly label = input.required<string>();
  /** What the field is called, if not like its button. */
  readonly fieldLabel = input('');
  readonly hint = input('');
  /** Endings and media types, as the browser's own field takes them. */
  readonly accept = input('');
  readonly multiple = input(false, { transform: booleanAttribute });
  readonly disabled = input(false, { transform: booleanAttribute });
  readonly loading = input(false, { transform: booleanAttribute });
  /** Whether the button is a link. */
  readonly quiet = input(false, { transform: booleanAttribute });
  /** What the field for folders is called, where they are taken too, with all that is in them. */
  readonly folders = input('');
  /** At least one file; just one unless several are wanted. */
  readonly taken = output<readonly File[]>();
  /** The same with their paths below what was chosen or dropped, where folders are taken. */
  readonly given = output<readonly Dropped[]>();
  protected readonly over = signal(false);

  protected hover(event: DragEvent): void {
    if (this.disabled()) return;
    event.preventDefault();
    this.over.set(true);
  }
  protected dropped(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    if (this.disabled() || !event.dataTransfer) return;
    if (this.folders()) void droppedFiles(event.dataTransfer).then((files) => this.given.emit(files));
    else this.take([...event.dataTransfer.files]);
  }
  protected picked(field: HTMLInputElement): void {
    const files = [...(field.files ?? [])];
    // The same file can be chosen again.
    field.value = '';
    this.take(files);
  }
  private take(files: readonly File[]): void {
    if (files.length === 0) return;
    if (this.folders()) this.given.emit(files.map((file) => ({ path: file.webkitRelativePath || file.name, file })));
    else this.taken.emit(this.multiple() ? files : files.slice(0, 1));
  }
}
