import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { FoundName, Survey } from '@rule/contract';
import { compareNames } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ScrollingModule } from '@angular/cdk/scrolling';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import {
  Api,
  Bench,
  CatalogueActions,
  ExactName,
  IndexRow,
  Notices,
  TrayActions,
  Way,
  catalogueFeature,
  problemOf,
  sessionFeature,
  showInstant,
} from '../shared';

interface NameRow extends FoundName {
  readonly known: number | null;
  readonly status: 'known' | 'retired' | 'alike' | 'stray';
  readonly like: string | null;
}

/** What the files really hold: libraries, written names, and files that cannot be read. */
@Component({
  selector: 'rule-survey-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Bench, ButtonModule, DialogModule, ExactName, FormsModule, IndexRow, InputTextModule, RouterLink, ScrollingModule, Way],
  template: `
    <rule-bench label="Survey">
      <div bench="index">
        <h3>Libraries</h3>
        @for (library of survey()?.libraries ?? []; track library.id) {
          <rule-index-row
            [text]="library.name"
            [end]="library.files + ' files'"
            [on]="look() === 'library' && libraryAt() === library.id"
            (choose)="go({ look: 'library', library: library.id })"
          />
        }
        @if (mayAdminister()) {
          <rule-index-row text="Register a folder …" (choose)="adding.set(true)" />
        }
        <h3>Look at</h3>
        <rule-index-row text="Names" [end]="names().length" [on]="look() === 'names'" (choose)="go({ look: null })" />
        <rule-index-row text="Strays" [end]="strays()" [tone]="strays() ? 'warn' : ''" [on]="look() === 'strays'" (choose)="go({ look: 'strays' })" />
        <rule-index-row
          text="Stand-ins"
          [end]="standIns()"
          [tone]="standIns() ? 'warn' : ''"
          [on]="look() === 'stand-ins'"
          (choose)="go({ look: 'stand-ins' })"
        />
        <rule-index-row
          text="Remarks on files"
          [end]="survey()?.problems?.length ?? 0"
          [tone]="survey()?.problems?.length ? 'bad' : ''"
          [on]="look() === 'problems'"
          (choose)="go({ look: 'problems' })"
        />
        <h3>Folders</h3>
        @for (row of survey()?.folders ?? []; track row.folder) {
          <rule-index-row [text]="row.folder || 'top folder'" [end]="row.files" (choose)="openFolder(row.folder)" />
        }
      </div>

      <div class="head">
        <div>
          <h1>{{ title() }}</h1>
          <p>{{ said() }}</p>
        </div>
        <div class="actions">
          @if (mayEdit()) {
            <p-button label="Read again" severity="secondary" [loading]="reading()" (onClick)="rescan()" />
          }
        </div>
      </div>
      @if (report(); as text) {
        <p class="note" role="status">{{ text }}</p>
      }
      @if (error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (survey(); as s) {
        @if (s.libraries.length === 0) {
          <p class="note">
            No library is registered. A library is a folder on the server that holds STEP parts and assemblies and DXF drawings; Rule reads it where it stands.
            An administrator registers it at the left.
          </p>
        } @else if (look() === 'problems') {
          <div class="card">
            <table class="list">
              <thead>
                <tr>
                  <th>File</th>
                  <th>What was noticed</th>
                </tr>
              </thead>
              <tbody>
                @for (problem of s.problems; track $index) {
                  <tr>
                    <td>{{ problem.path }}</td>
                    <td>{{ problem.message }}</td>
                  </tr>
                } @empty {
                  <tr>
                    <td colspan="2" class="soft">Every file could be read without remark.</td>
                  </tr>
                }
              </tbody>
            </table>
          </div>
        } @else if (look() === 'library') {
          @for (library of s.libraries; track library.id) {
            @if (library.id === libraryAt()) {
              <div class="card facts">
                <p>Folder on the server</p>
                <p class="mono">{{ library.root }}</p>
                <p>Files</p>
                <p>{{ library.files }}, of which {{ library.unread }} could not be read</p>
                <p>Last read</p>
                <p>{{ library.surveyedAt ? instant(library.surveyedAt) : 'never' }}</p>
              </div>
            }
          }
        } @else {
          <div class="card lines" role="table" aria-label="Written names">
            <div class="row header" role="row">
              <span role="columnheader">Written name</span>
              <span role="columnheader">In</span>
              <span role="columnheader">Level</span>
              <span role="columnheader">Schema</span>
              <span role="columnheader" class="num">Files</span>
              <span role="columnheader" class="num">Filled</span>
              <span role="columnheader" class="num">Stand-ins</span>
              <span role="columnheader">For example</span>
            </div>
            @if (shown().length) {
              <cdk-virtual-scroll-viewport itemSize="32" role="rowgroup" [style.height]="'min(70vh, ' + 32 * shown().length + 'px)'">
                <div
                  class="row pick"
                  role="row"
                  *cdkVirtualFor="let row of shown()"
                  [class.on]="row === selected()"
                  [attr.aria-selected]="row === selected()"
                  tabindex="0"
                  (click)="selected.set(row)"
                  (keydown.enter)="selected.set(row)"
                >
                  <span role="cell" [title]="row.name"><rule-exact-name [name]="row.name" /></span>
                  <span role="cell">{{ row.kind }}</span>
                  <span role="cell">{{ row.level }}</span>
                  <span role="cell" [class]="row.status === 'known' ? 'good' : row.status === 'alike' ? 'bad' : 'warn'">{{
                    row.status === 'alike' ? 'nearly ' + row.like : row.status
                  }}</span>
                  <span role="cell" class="num">{{ row.files }}</span>
                  <span role="cell" class="num">{{ row.filled }}</span>
                  <span role="cell" class="num" [class.warn]="row.standIns">{{ row.standIns || '' }}</span>
                  <span role="cell" class="mono" [title]="row.examples.join(' · ')">{{ row.examples.join(' · ') }}</span>
                </div>
              </cdk-virtual-scroll-viewport>
            } @else {
              <p class="none">{{ look() === 'names' ? 'No file holds a property yet.' : 'None.' }}</p>
            }
          </div>
        }
      } @else if (!error()) {
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (selected(); as row) {
          <h2><rule-exact-name [name]="row.name" /></h2>
          <p class="soft">
            {{ row.level === 'document' ? 'Document property' : 'Value at the level ' + row.level }} of {{ row.files }} {{ row.kind }}
            {{ row.files === 1 ? 'file' : 'files' }}: {{ row.filled }} filled, {{ row.standIns }} with a stand-in,
            {{ row.files - row.filled - row.standIns }} empty; {{ row.distinct }} different {{ row.distinct === 1 ? 'text' : 'texts' }}.
          </p>
          @if (row.status === 'alike') {
            <p class="note bad">
              The schema has {{ row.like }}. The two differ in {{ difference(row) }} only: programs that compare exactly take them for two properties.
            </p>
          }
          @if (row.status === 'stray' && mayAdminister()) {
            <p-button label="Define it in the schema" (onClick)="define(row)" />
          }
          @if (row.known !== null) {
            <rule-way [property]="row.known" />
          }
          <p>
            <a [routerLink]="['/values']" [queryParams]="{ kind: row.kind }">Open the {{ row.kind }} files in Values</a>
          </p>
        } @else {
          <p class="soft">Choose a name to see how it is used and whether the schema knows it.</p>
        }
      </div>
    </rule-bench>

    <p-dialog header="Register a folder" [modal]="true" [visible]="adding()" (visibleChange)="adding.set($event)" [style]="{ width: '460px' }">
      <form (ngSubmit)="add()">
        <label class="field"><span>Name of the library</span><input pInputText name="name" [ngModel]="name()" (ngModelChange)="name.set($event)" /></label>
        <label class="field"
          ><span>Folder on the server</span><input pInputText name="path" class="mono" [ngModel]="path()" (ngModelChange)="path.set($event)" /><small
            >STEP and DXF files in it and below it are read; nothing is changed by reading.</small
          ></label
        >
        @if (addError(); as text) {
          <p class="note bad" role="alert">{{ text }}</p>
        }
        <p-button type="submit" label="Register and read" [disabled]="!name().trim() || !path().trim()" [loading]="reading()" />
      </form>
    </p-dialog>
  `,
  styles: `
    .lines {
      --columns: minmax(165px, 1.6fr) 72px 86px minmax(104px, 0.9fr) 44px 50px 72px minmax(70px, 1fr);
    }
    .none {
      margin: 8px 10px;
      color: var(--soft);
    }
    .facts {
      display: grid;
      grid-template-columns: 160px 1fr;
      padding: 12px 16px;
      gap: 4px 12px;
    }
    .facts p {
      margin: 0;
    }
    .facts p:nth-child(odd) {
      color: var(--soft);
    }
  `,
})
export class SurveyStation {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  private readonly properties = this.store.selectSignal(catalogueFeature.selectAll);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);

  readonly look = input('names', { transform: (text: string | undefined) => text ?? 'names' });
  readonly library = input<string>();
  protected readonly libraryAt = computed(() => Number(this.library()));
  protected readonly survey = signal<Survey | null>(null);
  protected readonly selected = signal<NameRow | null>(null);
  protected readonly reading = signal(false);
  protected readonly report = signal<string | null>(null);
  protected readonly error = signal<string | null>(null);
  protected readonly adding = signal(false);
  protected readonly addError = signal<string | null>(null);
  protected readonly name = signal('');
  protected readonly path = signal('');
  protected readonly instant = showInstant;

  protected readonly names = computed<NameRow[]>(() =>
    (this.survey()?.names ?? []).map((row) => {
      const exact = this.properties().find((property) => property.writtenName === row.name);
      if (exact) return { ...row, known: exact.id, status: exact.retired ? 'retired' : 'known', like: null };
      const near = this.properties().find((property) => compareNames(property.writtenName, row.name) !== 'different');
      return near ? { ...row, known: near.id, status: 'alike', like: near.writtenName } : { ...row, known: null, status: 'stray', like: null };
    }),
  );
  protected readonly strays = computed(
    () =>
      new Set(
        this.names()
          .filter((row) => row.status === 'stray' || row.status === 'alike')
          .map((row) => row.name),
      ).size,
  );
  protected readonly standIns = computed(() => this.names().reduce((sum, row) => sum + row.standIns, 0));
  protected readonly shown = computed(() => {
    if (this.look() === 'strays') return this.names().filter((row) => row.status === 'stray' || row.status === 'alike');
    if (this.look() === 'stand-ins') return this.names().filter((row) => row.standIns > 0);
    return this.names();
  });
  protected readonly title = computed(() => {
    const files = this.survey()?.libraries.reduce((sum, library) => sum + library.files, 0) ?? 0;
    switch (this.look()) {
      case 'strays':
        return 'Names that the schema does not know';
      case 'stand-ins':
        return 'Names with stand-ins left in';
      case 'problems':
        return 'Remarks on files';
      case 'library':
        return this.survey()?.libraries.find((library) => library.id === this.libraryAt())?.name ?? 'Library';
      default:
        return `What ${files} files hold`;
    }
  });
  protected readonly said = computed(() => {
    const unread = this.survey()?.libraries.reduce((sum, library) => sum + library.unread, 0) ?? 0;
    const read = unread === 0 ? 'Every file could be read.' : `${unread} ${unread === 1 ? 'file' : 'files'} could not be read.`;
    return `Document, occurrence and copy properties by their exact written name. ${read}`;
  });

  constructor() {
    this.load();
  }

  private load(): void {
    this.api.survey().subscribe({ next: (survey) => this.survey.set(survey), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    this.selected.set(null);
    void this.router.navigate([], { queryParams: { look: null, library: null, ...queryParams } });
  }

  protected openFolder(folder: string): void {
    void this.router.navigate(['/values'], { queryParams: { folder } });
  }

  protected difference(row: NameRow): string {
    return compareNames(row.name, row.like ?? '');
  }

  protected define(row: NameRow): void {
    void this.router.navigate(['/schema'], { queryParams: { define: row.name, kinds: row.kind } });
  }

  protected rescan(): void {
    this.reading.set(true);
    this.api.rescan().subscribe({
      next: (result) => {
        this.reading.set(false);
        this.report.set(
          `${result.added} added, ${result.changed} changed, ${result.removed} removed, ${result.unchanged} unchanged.${result.failed.length ? ` ${result.failed.length} could not be read: ${result.failed[0]!.path}: ${result.failed[0]!.message}` : ''}`,
        );
        this.after();
      },
      error: (failure: unknown) => {
        this.reading.set(false);
        this.notices.failed(failure);
      },
    });
  }

  protected add(): void {
    this.reading.set(true);
    this.addError.set(null);
    this.api.addLibrary({ name: this.name().trim(), path: this.path().trim() }).subscribe({
      next: (result) => {
        this.reading.set(false);
        this.adding.set(false);
        this.notices.done(`${result.added} files read.`);
        this.after();
      },
      error: (failure: unknown) => {
        this.reading.set(false);
        this.addError.set(problemOf(failure).detail);
      },
    });
  }

  private after(): void {
    this.load();
    this.store.dispatch(CatalogueActions.recount());
    if (this.mayEdit()) this.store.dispatch(TrayActions.load());
  }
}
