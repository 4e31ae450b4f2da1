import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { PersonRow, ROLES, Role } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleColumn, RuleSelect, RuleTable } from '../kit';
import { sessionFeature, showInstant } from '../shared';
import { SettingsStore } from './settings.store';

/** Users and their roles. Administrators only. */
@Component({
  selector: 'rule-people',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, ButtonModule, DialogModule, FormsModule, InputTextModule, RuleSelect],
  providers: [SettingsStore],
  template: `
    <section class="card" aria-label="People">
      <h1>People</h1>
      @if (store.first(); as first) {
        <p class="note" role="status">
          First password of {{ first.name }}, said this once: <code class="mono">{{ first.password }}</code>. A new one is chosen at the next sign-in.
        </p>
      }
      <rule-table label="People" [rows]="store.people()" key="id">
        <ng-container *ruleColumn="let row of store.people(); name: 'Name'">
          {{ row.displayName }}
          @if (row.locked) {
            <span class="chip warn">locked</span>
          }
          @if (row.firstPassword && !row.locked) {
            <span class="chip">first password</span>
          }
        </ng-container>
        <ng-container *ruleColumn="let row of store.people(); name: 'Signs in as'; look: 'mono'">{{ row.name }}</ng-container>
        <ng-container *ruleColumn="let row of store.people(); name: 'Role'">
          <rule-select
            [options]="roles"
            [ngModel]="row.role"
            [ariaLabel]="'Role of ' + row.displayName"
            (ngModelChange)="store.changePerson(row, { role: $event })"
          />
        </ng-container>
        <ng-container *ruleColumn="let row of store.people(); name: 'Last signed in'; look: 'soft'">
          {{ row.signedInAt ? instant(row.signedInAt) : 'never' }}
        </ng-container>
        <ng-container *ruleColumn="let row of store.people(); said: 'Actions'; look: 'nowrap'">
          <button type="button" class="link" [attr.aria-label]="'Reset password of ' + row.displayName" (click)="store.resetPassword(row)">
            Reset password
          </button>
          @if (row.name !== me()?.name) {
            <button
              type="button"
              class="link"
              [attr.aria-label]="(row.locked ? 'Unlock ' : 'Lock ') + row.displayName"
              (click)="store.changePerson(row, { locked: !row.locked })"
            >
              {{ row.locked ? 'Unlock' : 'Lock' }}
            </button>
            <button type="button" class="link" [attr.aria-label]="'Remove ' + row.displayName" (click)="leaving.set(row)">Remove</button>
          }
        </ng-container>
      </rule-table>
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
          <rule-select name="role" labelledBy="new-role" [options]="roles" [ngModel]="role()" (ngModelChange)="role.set($event)" />
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
  protected readonly store = inject(SettingsStore);
  protected readonly me = inject(Store).selectSignal(sessionFeature.selectUser);
  protected readonly roles = [...ROLES];
  protected readonly leaving = signal<PersonRow | null>(null);
  protected readonly name = signal('');
  protected readonly displayName = signal('');
  protected readonly role = signal<Role>('editor');
  protected readonly instant = showInstant;

  constructor() {
    this.store.loadPeople();
  }

  protected add(): void {
    const draft = { name: this.name().trim(), displayName: this.displayName().trim(), role: this.role() };
    this.store.addPerson(draft, () => {
      this.name.set('');
      this.displayName.set('');
    });
  }
  protected remove(row: PersonRow): void {
    this.leaving.set(null);
    this.store.removePerson(row);
  }
}
