import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RuleTip } from '../kit/tip';
import { RuleCheck } from '../kit/check';
import { RuleColumn } from '../kit/column';
import { RuleTable } from '../kit/table';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { NavigationEnd, Router, RouterLink } from '@angular/router';
import { ApplyMode, TrayLine } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { distinctUntilChanged, filter, map, skip, startWith } from 'rxjs';
import { Count, FileLink, LinePlace, plainHeld, TrayActions, trayFeature } from '../shared';

/** The tray bar with counts; opened, the lines. */
@Component({
  selector: 'rule-tray',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, RuleColumn, RuleTable, ButtonModule, Count, FileLink, LinePlace, RouterLink, RuleCheck],
  template: `
    @if (open()) {
      <section class="sheet" aria-label="Pending changes">
        <div class="head">
          <div>
            <h2>Pending changes</h2>
            <p>
              {{ counts().accepted }} of {{ counts().lines }} lines accepted, {{ counts().files | count: 'file' }}.
              @if (counts().undecided) {
                <span class="bad">{{ counts().undecided }} cannot be applied as they are.</span>
              }
            </p>
          </div>
          <div class="actions">
            <label class="mode" ruleTip="Otherwise a file that cannot be written restores all others.">
              <rule-check [checked]="mode() === 'file by file'" (flip)="mode.set($event ? 'file by file' : 'whole')" />
              if a file fails, continue with the others
            </label>
            <p-button severity="secondary" label="Discard all" [disabled]="!lines().length || busy()" (onClick)="dropAll()" />
            <p-button
              [label]="'Apply ' + (counts().accepted | count: 'value')"
              [disabled]="!counts().accepted || busy()"
              [loading]="busy()"
              (onClick)="apply()"
            />
          </div>
        </div>
        @if (report(); as r) {
          <div class="note" [class.bad]="r.failures.length" role="status">
            @if (r.applied) {
              {{ r.applied | count: 'value' }} written into {{ r.files | count: 'file' }}.
              <button type="button" class="link" (click)="undo(r.changeSet)">Undo</button>
            } @else {
              Nothing was written.
            }
            @for (failure of r.failures; track failure.path) {
              <div>{{ failure.path }}: {{ failure.message }}</div>
            }
          </div>
        }
        @if (counts().lines > lines().length) {
          <p class="soft">
            The first {{ lines().length }} lines are shown, those that need a decision before the others. All {{ counts().lines }} are applied or discarded
            together.
          </p>
        }
        @if (lines().length) {
          <ng-template #choosing><rule-check ariaLabel="Accept all lines" [checked]="allAccepted()" (flip)="acceptAll()" /></ng-template>
          <rule-table class="card" label="Lines" [rows]="lines()" key="id" virtual height="36vh" [look]="lookOf">
            <ng-container *ruleColumn="let line of lines(); head: choosing; width: '34px'; look: 'box'">
              <rule-check [ariaLabel]="'Accept ' + line.path + ' ' + line.name" [checked]="line.accepted" (flip)="accept(line)" />
            </ng-container>
            <ng-container *ruleColumn="let line of lines(); name: 'File'; by: 'path'; look: 'path'; width: 'minmax(140px, 1.3fr)'">
              <rule-file [id]="line.file" [path]="line.path" />
            </ng-container>
            <ng-container *ruleColumn="let line of lines(); name: 'Where'; by: 'name'; width: 'minmax(110px, 0.9fr)'">
              <rule-line-place [line]="line" />
            </ng-container>
            <ng-container *ruleColumn="let line of lines(); name: 'Now'; by: nowOf; tip: nowOf; look: 'mono'; width: 'minmax(90px, 0.8fr)'">{{
              nowOf(line)
            }}</ng-container>
            <ng-container *ruleColumn="let line of lines(); name: 'Becomes'; by: thenOf; tip: thenOf; look: 'mono'; width: 'minmax(90px, 0.8fr)'">
              <b>{{ thenOf(line) }}</b>
            </ng-container>
            <ng-container *ruleColumn="let line of lines(); name: 'Why'; width: 'minmax(180px, 1.6fr)'">
              @if (line.verdict === 'conflict') {
                <span class="bad" [ruleTip]="'It was ' + held(line.base) + ' when this line was made.'">changed since, was {{ held(line.base) }}</span>
                <button type="button" class="link" (click)="settle(line, 'theirs')">Keep {{ held(line.current) }}</button>
                <button type="button" class="link" (click)="settle(line, 'mine')">Use {{ held(line.proposed) }}</button>
              } @else if (line.refused) {
                <span class="bad">{{ line.refused }}</span>
              } @else if (line.message) {
                <span class="bad">{{ line.message }}</span>
              } @else {
                {{ line.reason }}
                @if (line.alsoPending.length) {
                  <span class="warn">also pending: {{ line.alsoPending.join(', ') }}</span>
                }
              }
            </ng-container>
            <ng-container *ruleColumn="let line of lines(); said: 'Discard'; width: '66px'">
              <button type="button" class="link" [attr.aria-label]="'Discard ' + line.path + ' ' + line.name" (click)="drop([line])">discard</button>
            </ng-container>
          </rule-table>
        } @else {
          <p class="soft">
            Nothing is pending. Values that you change in Rule wait here until you apply them. Applied changes are listed in
            <a routerLink="/history">History</a>.
          </p>
        }
      </section>
    }
    <div class="bar">
      <span class="n">{{ counts().lines }}</span>
      <span aria-live="polite">
        @if (counts().lines) {
          {{ counts().lines === 1 ? 'value would change' : 'values would change' }} in {{ counts().files | count: 'file' }}
        } @else {
          nothing pending
        }
      </span>
      @if (counts().undecided) {
        <span class="decide">{{ counts().undecided | count: 'needs' : 'need' }} a decision</span>
      }
      <button type="button" class="review" [attr.aria-expanded]="open()" (click)="toggle()">{{ open() ? 'Close' : 'Review' }}</button>
    </div>
  `,
  styles: `
    :host {
      position: relative;
      display: block;
    }
    .bar {
      background: var(--tray);
      color: var(--tray-ink);
      height: 38px;
      display: flex;
      align-items: center;
      padding: 0 20px;
      gap: 16px;
      font:
        500 13px 'Barlow Semi Condensed',
        sans-serif;
      border-top: 1px solid var(--line);
    }
    .n {
      background: #b4862e;
      color: #1b1408;
      border-radius: 3px;
      padding: 1px 8px;
      font-weight: 600;
    }
    .decide {
      color: #f0b29f;
    }
    .review {
      margin-left: auto;
      background: #ece7db;
      color: #1c2733;
      border: 0;
      border-radius: 4px;
      padding: 4px 14px;
      font-weight: 600;
      cursor: pointer;
    }
    .sheet {
      position: absolute;
      left: 0;
      right: 0;
      bottom: 38px;
      z-index: 20;
      background: var(--vellum);
      border-top: 2px solid var(--brass);
      box-shadow: var(--shadow);
      padding: 16px 24px 18px;
      max-height: 62vh;
      display: flex;
      flex-direction: column;
    }
    .sheet h2 {
      font-size: 18px;
      margin: 0;
    }
    .mode {
      display: flex;
      gap: 6px;
      align-items: center;
      color: var(--soft);
    }
    rule-table .link + .link,
    rule-table .bad + .link {
      margin-left: 8px;
    }
  `,
})
export class TrayBar {
  private readonly store = inject(Store);
  protected readonly lines = this.store.selectSignal(trayFeature.selectLines);
  protected readonly counts = this.store.selectSignal(trayFeature.selectCounts);
  protected readonly open = this.store.selectSignal(trayFeature.selectOpen);
  protected readonly busy = this.store.selectSignal(trayFeature.selectBusy);
  protected readonly report = this.store.selectSignal(trayFeature.selectReport);
  protected readonly mode = signal<ApplyMode>('whole');
  protected readonly held = plainHeld;
  protected readonly nowOf = (line: TrayLine): string => plainHeld(line.current);
  protected readonly thenOf = (line: TrayLine): string => (line.proposed === null || line.proposed.text === '' ? 'blank' : plainHeld(line.proposed));
  protected readonly lookOf = (line: TrayLine): string =>
    [line.accepted ? '' : 'aside', line.verdict === 'conflict' || line.refused ? 'broken' : ''].join(' ').trim();
  protected readonly allAccepted = computed(() => this.counts().accepted === this.counts().lines);
  constructor() {
    // Closes the sheet when another station opens.
    const router = inject(Router);
    router.events
      .pipe(
        filter((event) => event instanceof NavigationEnd),
        map((event) => event.urlAfterRedirects),
        startWith(router.url),
        map((url) => url.split('?')[0]),
        distinctUntilChanged(),
        skip(1),
        takeUntilDestroyed(),
      )
      .subscribe(() => this.store.dispatch(TrayActions.open({ open: false })));
  }

  protected toggle(): void {
    this.store.dispatch(TrayActions.open({ open: !this.open() }));
  }
  protected apply(): void {
    this.store.dispatch(TrayActions.apply({ mode: this.mode(), title: '' }));
  }
  protected dropAll(): void {
    this.store.dispatch(TrayActions.drop({ lines: 'all' }));
  }
  protected drop(lines: readonly TrayLine[]): void {
    this.store.dispatch(TrayActions.drop({ lines: lines.map((line) => line.id) }));
  }
  protected accept(line: TrayLine): void {
    this.store.dispatch(TrayActions.accept({ lines: [line.id], accepted: !line.accepted }));
  }
  protected acceptAll(): void {
    this.store.dispatch(TrayActions.accept({ lines: 'all', accepted: !this.allAccepted() }));
  }
  protected settle(line: TrayLine, take: 'mine' | 'theirs'): void {
    this.store.dispatch(TrayActions.settle({ settle: { line: line.id, take } }));
  }
  protected undo(changeSet: number): void {
    this.store.dispatch(TrayActions.revert({ changeSet }));
  }
}
