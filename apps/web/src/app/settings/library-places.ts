import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Library } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { SettingsStore } from './settings.store';

/** Library folders on the server: confirm after a restore, or point elsewhere. Administrators only. */
@Component({
  selector: 'rule-library-places',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, FormsModule, InputTextModule],
  providers: [SettingsStore],
  template: `
    @if (store.libraries().length) {
      <section class="card" aria-label="Library folders">
        <h1>Library folders</h1>
        <p class="soft">If a library was moved to another folder of the server, enter the new folder here. The library is read again.</p>
        @for (row of store.libraries(); track row.id) {
          <form (ngSubmit)="place(row)">
            <label class="field">
              <span
                >{{ row.name }}
                @if (!row.confirmed) {
                  <span class="chip warn">restored, not confirmed yet</span>
                }
              </span>
              <input pInputText class="mono" [name]="'place-' + row.id" [ngModel]="text(row)" (ngModelChange)="write(row, $event)" />
              @if (!row.confirmed) {
                <small>Nothing is read or written until you confirm this folder or enter another one.</small>
              }
            </label>
            <p-button
              type="submit"
              severity="secondary"
              [label]="row.confirmed || text(row).trim() !== row.root ? 'Set folder' : 'Confirm folder'"
              [disabled]="!text(row).trim() || (row.confirmed && text(row).trim() === row.root)"
            />
          </form>
        }
      </section>
    }
  `,
  styles: `
    section {
      max-width: 860px;
      margin-top: 16px;
    }
    form {
      display: flex;
      gap: 10px;
      align-items: flex-end;
      margin-top: 10px;
    }
    .field {
      margin: 0;
      flex: 1;
    }
  `,
})
export class LibraryPlaces {
  protected readonly store = inject(SettingsStore);
  private readonly texts = signal<Readonly<Record<number, string>>>({});

  constructor() {
    this.store.loadLibraries();
  }

  protected text(row: Library): string {
    return this.texts()[row.id] ?? row.root;
  }
  protected write(row: Library, text: string): void {
    this.texts.update((texts) => ({ ...texts, [row.id]: text }));
  }
  protected place(row: Library): void {
    this.store.placeLibrary(row, this.text(row).trim(), () => this.texts.set({}));
  }
}
