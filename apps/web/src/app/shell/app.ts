import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { RuleTip } from '../kit/tip';
import { RuleColumn } from '../kit/column';
import { RuleTable } from '../kit/table';
import { RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { ToastModule } from 'primeng/toast';
import { SessionActions, TrayActions, Unsaved, sessionFeature } from '../shared';
import { JobsButton } from './jobs';
import { Palette } from './palette';
import { Scale } from './scale';
import { FirstPasswordPage } from './first-password';
import { SignInPage } from './sign-in';
import { Surface } from './surface';
import { TrayBar } from './tray';

const SHORTCUTS = [
  ['Ctrl+K', 'find a station, property, file or action'],
  ['Arrows', 'move in the grid'],
  ['Enter or F2', 'edit the cell; typing replaces its value'],
  ['Tab, Enter', 'accept the value and move on'],
  ['Esc', 'discard the entry'],
  ['Delete', 'blank the cell'],
  ['Shift+Arrows', 'choose a range; with Ctrl to the edge'],
  ['Shift+Blank, Ctrl+Blank', 'choose the row, the column'],
  ['Ctrl+C, Ctrl+X, Ctrl+V', 'copy, cut and paste a range, to and from a spreadsheet program'],
  ['Ctrl+D, Ctrl+Alt+D', 'fill down from the first row; continue a series'],
  ['Ctrl+H, Alt+Blank', 'find and replace; filter by the column'],
  ['Ctrl+Z, Ctrl+Y', 'undo and redo entries'],
  ['Ctrl+Enter', 'open the tray'],
  ['?', 'this list'],
] as const;

/** The application shell: scale, work area, tray. */
@Component({
  selector: 'rule-root',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleTip,
    RuleColumn,
    RuleTable,
    RouterOutlet,
    RouterLink,
    RouterLinkActive,
    ButtonModule,
    FirstPasswordPage,
    DialogModule,
    ToastModule,
    JobsButton,
    Palette,
    Scale,
    SignInPage,
    TrayBar,
  ],
  host: { '(document:keydown)': 'key($event)' },
  template: `
    <p-toast position="bottom-right" styleClass="notices" />
    @if (user()?.firstPassword) {
      <rule-first-password />
    } @else if (user(); as person) {
      <a class="skip" href="#work" (click)="skip($event)">Skip to content</a>
      <header>
        <a class="mark" routerLink="/overview"
          >Rule<small>{{ company() }}</small></a
        >
        <rule-scale />
        <div class="right">
          <button type="button" class="find" (click)="palette.set(true)">Find <kbd>Ctrl K</kbd></button>
          <rule-jobs />
          <a routerLink="/history" routerLinkActive="on">History</a>
          <a routerLink="/settings" routerLinkActive="on">Settings</a>
          <button type="button" class="plain" [attr.aria-pressed]="dark()" [ruleTip]="dark() ? 'Light' : 'Dark'" aria-label="Dark surface" (click)="turn()">
            {{ dark() ? '☀' : '☾' }}
          </button>
          <button type="button" class="person" [ruleTip]="person.displayName + ', ' + person.role + '. Sign out'" (click)="signOut()">
            {{ initials(person.displayName) }}<span class="visually-hidden">: sign out {{ person.displayName }}</span>
          </button>
        </div>
      </header>
      <div class="bench"><router-outlet /></div>
      @if (mayEdit()) {
        <rule-tray />
      }
      <rule-palette [(open)]="palette" />
      <p-dialog
        closeAriaLabel="Close"
        header="Not saved yet"
        role="alertdialog"
        [modal]="true"
        [focusOnShow]="false"
        [visible]="unsaved.asking() !== null"
        (onShow)="stay.querySelector('button')!.focus()"
        (visibleChange)="$event || unsaved.decide(false)"
        [style]="{ width: '420px' }"
      >
        <p>Unsaved changes:</p>
        <ul>
          @for (what of unsaved.asking(); track what) {
            <li>{{ what }}</li>
          }
        </ul>
        <div class="choices">
          <p-button severity="secondary" label="Leave without saving" (onClick)="unsaved.decide(true)" />
          <span #stay><p-button label="Stay" (onClick)="unsaved.decide(false)" /></span>
        </div>
      </p-dialog>
      <p-dialog
        closeAriaLabel="Close"
        header="Shortcuts"
        [modal]="true"
        [dismissableMask]="true"
        [visible]="shortcuts()"
        (visibleChange)="shortcuts.set($event)"
        [style]="{ width: '420px' }"
      >
        <rule-table label="Keys" [rows]="list">
          <ng-container *ruleColumn="let row of list; look: 'mono'">{{ row[0] }}</ng-container>
          <ng-container *ruleColumn="let row of list">{{ row[1] }}</ng-container>
        </rule-table>
      </p-dialog>
    } @else if (asked()) {
      <rule-sign-in />
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template: 78px minmax(0, 1fr) auto / minmax(0, 1fr);
      height: 100vh;
    }
    :host:has(rule-sign-in),
    :host:has(rule-first-password) {
      display: block;
    }
    .choices {
      display: flex;
      gap: 8px;
      justify-content: flex-end;
      margin-top: 14px;
    }
    .skip {
      position: absolute;
      left: -999px;
      top: 4px;
      z-index: 60;
      background: var(--panel);
      padding: 6px 10px;
    }
    .skip:focus {
      left: 8px;
    }
    header {
      grid-row: 1;
      display: grid;
      grid-template-columns: 168px minmax(0, 1fr) auto;
      border-bottom: 1.5px solid var(--ink);
    }
    .bench {
      grid-row: 2;
      min-height: 0;
    }
    rule-tray {
      grid-row: 3;
    }
    .mark {
      padding: 15px 0 0 20px;
      font:
        600 26px/1 'Barlow Semi Condensed',
        sans-serif;
      letter-spacing: 0.5px;
      color: var(--ink);
      text-decoration: none;
    }
    .mark small {
      display: block;
      font:
        500 11px/1.2 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
      letter-spacing: 0.2px;
      margin-top: 4px;
    }
    rule-scale {
      height: 100%;
      overflow: hidden;
    }
    .right {
      display: flex;
      align-items: center;
      gap: 12px;
      padding: 0 18px 12px 20px;
      font:
        500 13px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
    }
    .right a {
      color: var(--soft);
      text-decoration: none;
    }
    .right a.on,
    .right a:hover {
      color: var(--ink);
    }
    .find {
      border: 1px solid var(--line);
      background: var(--panel);
      border-radius: 4px;
      padding: 4px 8px;
      color: var(--soft);
      cursor: pointer;
    }
    kbd {
      font:
        11px 'JetBrains Mono',
        monospace;
      background: var(--vellum);
      border: 1px solid var(--line);
      border-radius: 3px;
      padding: 0 4px;
      margin-left: 6px;
    }
    .person {
      width: 28px;
      height: 28px;
      border: 0;
      border-radius: 50%;
      background: var(--ink);
      color: var(--vellum);
      font:
        600 12px 'Barlow Semi Condensed',
        sans-serif;
      cursor: pointer;
    }
    @media (max-width: 1100px) {
      .right a {
        display: none;
      }
    }
  `,
})
export class App {
  private readonly store = inject(Store);
  protected readonly unsaved = inject(Unsaved);
  protected readonly user = this.store.selectSignal(sessionFeature.selectUser);
  protected readonly asked = this.store.selectSignal(sessionFeature.selectAsked);
  protected readonly company = this.store.selectSignal(sessionFeature.selectCompany);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly palette = signal(false);
  protected readonly shortcuts = signal(false);
  protected readonly list = SHORTCUTS;
  private readonly surface = inject(Surface);
  protected readonly dark = this.surface.dark;

  constructor() {
    this.store.dispatch(SessionActions.ask());
  }

  protected turn(): void {
    this.surface.turn();
  }

  protected initials(name: string): string {
    return name
      .split(/\s+/)
      .map((word) => word[0])
      .join('')
      .slice(0, 2)
      .toUpperCase();
  }

  protected signOut(): void {
    this.unsaved.leave().subscribe((leave) => leave && this.store.dispatch(SessionActions.signOut()));
  }

  protected skip(event: Event): void {
    event.preventDefault();
    document.getElementById('work')?.focus();
  }

  protected key(event: KeyboardEvent): void {
    if (!this.user()) return;
    const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
    if (event.ctrlKey && event.key.toLowerCase() === 'k') this.palette.set(!this.palette());
    else if (event.ctrlKey && event.key === 'Enter' && this.mayEdit()) this.store.dispatch(TrayActions.open({ open: true }));
    else if (event.key === '?' && !typing) this.shortcuts.set(true);
    else return;
    event.preventDefault();
  }
}
