import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FirstPassword, PersonRow, ROLES, Role } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { SelectModule } from 'primeng/select';
import { Observable } from 'rxjs';
import { Api, Notices, sessionFeature, showInstant } from '../shared';

/** Users and their roles. Administrators only. */
@Component({
  selector: 'rule-people',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, DialogModule, FormsModule, InputTextModule, SelectModule],
  template: `
    <section class="card" aria-label="People">
      <h1>People</h1>
      @if (said(); as first) {
        <p class="note" role="status">
          First password of {{ first.name }}, said this once: <code class="mono">{{ first.password }}</code>. A new one is chosen at the next sign-in.
        </p>
      }
      <table class="list">
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">Signs in as</th>
            <th scope="col">Role</th>
            <th scope="col">Last signed in</th>
            <th scope="col"><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          @for (row of rows(); track row.id) {
            <tr>
              <td>
                {{ row.displayName }}
                @if (row.locked) {
                  <span class="chip warn">locked</span>
                }
                @if (row.firstPassword && !row.locked) {
                  <span class="chip">first password</span>
                }
              </td>
              <td class="mono">{{ row.name }}</td>
              <td>
                <p-select
                  size="small"
                  appendTo="body"
                  [options]="roles"
                  [ngModel]="row.role"
                  [ariaLabel]="'Role of ' + row.displayName"
                  (ngModelChange)="change(row, { role: $event })"
                />
              </td>
              <td class="soft">{{ row.signedInAt ? instant(row.signedInAt) : 'never' }}</td>
              <td class="acts">
                <button type="button" class="link" [attr.aria-label]="'Reset password of ' + row.displayName" (click)="reset(row)">Reset password</button>
                @if (row.name !== me()?.name) {
                  <button
                    type="button"
                    class="link"
                    [attr.aria-label]="(row.locked ? 'Unlock ' : 'Lock ') + row.displayName"
                    (click)="change(row, { locked: !row.locked })"
                  >
                    {{ row.locked ? 'Unlock' : 'Lock' }}
                  </button>
                  <button type="button" class="link" [attr.aria-label]="'Remove ' + row.displayName" (click)="leaving.set(row)">Remove</button>
                }
              </td>
            </tr>
          }
        </tbody>
      </table>
      <h2>Add a person</h2>
      <form (ngSubmit)="add()">
        <label class="field"
          ><span>Full name</span><input pInputText name="displayName" [ngModel]="displayName()" (ngModelChange)="displayName.set($event)"
        /></label>
        <label class="field"
          ><span>Signs in as</span><input pInputText name="name" class="mono" autocomplete="off" [ngModel]="name()" (ngModelChange)="name.set($event)"
        /></label>
        <div class="field">
          <span id="new-role">Role</span>
          <p-select appendTo="body" name="role" ariaLabelledBy="new-role" [options]="roles" [ngModel]="role()" (ngModelChange)="role.set($event)" />
        </div>
        <p-button type="submit" severity="secondary" label="Add" [disabled]="!name().trim() || !displayName().trim()" />
      </form>
    </section>
    <p-dialog
      closeAriaLabel="Close"
      header="Remove somebody"
      [modal]="true"
      [visible]="leaving() !== null"
      (visibleChange)="leaving.set(null)"
      [style]="{ width: '440px' }"
    >
      @if (leaving(); as row) {
        <p>
          {{ row.displayName }} can no longer sign in, and tokens of theirs do nothing from now on. What they have done stays in History under their name. This
          cannot be undone. Lock people who may come back.
        </p>
        <div class="actions">
          <p-button severity="secondary" label="Keep" (onClick)="leaving.set(null)" />
          <p-button [label]="'Remove ' + row.displayName" (onClick)="remove(row)" />
        </div>
      }
    </p-dialog>
  `,
  styles: `
    section {
      max-width: 860px;
      margin-top: 16px;
    }
    h2 {
      margin: 18px 0 8px;
    }
    form {
      display: flex;
      gap: 10px;
      align-items: flex-end;
      flex-wrap: wrap;
    }
    .field {
      margin: 0;
      flex: 1 1 160px;
    }
    .acts {
      white-space: nowrap;
    }
    .acts button + button {
      margin-left: 12px;
    }
    .actions {
      display: flex;
      justify-content: flex-end;
      gap: 8px;
      margin-top: 14px;
    }
    code {
      user-select: all;
    }
  `,
})
export class PeopleSection {
  private readonly api = inject(Api);
  private readonly notices = inject(Notices);
  protected readonly me = inject(Store).selectSignal(sessionFeature.selectUser);
  protected readonly roles = [...ROLES];
  protected readonly rows = signal<readonly PersonRow[]>([]);
  protected readonly said = signal<{ readonly name: string; readonly password: string } | null>(null);
  protected readonly leaving = signal<PersonRow | null>(null);
  protected readonly name = signal('');
  protected readonly displayName = signal('');
  protected readonly role = signal<Role>('editor');
  protected readonly instant = showInstant;

  constructor() {
    this.load();
  }

  private load(): void {
    this.api.people().subscribe({ next: (rows) => this.rows.set(rows), error: this.notices.failed });
  }

  /** Runs a request and reloads the users, also after a refusal. */
  private carry<T>(work: Observable<T>, then: (result: T) => void): void {
    this.said.set(null);
    work.subscribe({
      next: (result) => {
        then(result);
        this.load();
      },
      error: (failure: unknown) => {
        this.notices.failed(failure);
        this.load();
      },
    });
  }

  protected add(): void {
    const draft = { name: this.name().trim(), displayName: this.displayName().trim(), role: this.role() };
    this.carry(this.api.addPerson(draft), (first: FirstPassword) => {
      this.said.set({ name: draft.displayName, password: first.password });
      this.name.set('');
      this.displayName.set('');
    });
  }
  protected change(row: PersonRow, change: Partial<Pick<PersonRow, 'role' | 'locked'>>): void {
    const { displayName, role, locked } = { ...row, ...change };
    this.carry(this.api.changePerson(row.id, { displayName, role, locked }), () => undefined);
  }
  protected reset(row: PersonRow): void {
    this.carry(this.api.resetPassword(row.id), (first) => this.said.set({ name: row.displayName, password: first.password }));
  }
  protected remove(row: PersonRow): void {
    this.leaving.set(null);
    this.carry(this.api.removePerson(row.id), () => this.notices.done(`${row.displayName} is removed.`));
  }
}
