import { CdkDrag, CdkDragDrop, CdkDropList } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, DestroyRef, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { FEEDS, KINDS, Kind, LEVELS, Property } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { InputTextModule } from 'primeng/inputtext';
import { RuleOption, RuleSelect, RuleWaiting } from '../kit';
import { Bench, catalogueFeature, IndexRow, sessionFeature, showInstant, Way } from '../shared';
import { SchemaChecks } from './checks';
import { SchemaEditions } from './editions';
import { ChoiceLists } from './lists';
import { PropertyEditor } from './property';
import { RolloutView } from './rollout';
import { SchemaStore } from './schema.store';
import { NumberSeriesView } from './series';
import { Standards } from './standards';
import { FileNames } from './file-names';
import { StartFiles } from './start-files';
import { SchemaTable } from './table';
import { SchemaTry } from './try';

const KIND_MARKS: Readonly<Record<Kind, string>> = { part: 'P', assembly: 'A', drawing: 'D', other: 'O' };

/** Interval for checking the draft. */
const LOOK_EVERY_MS = 10_000;

/** The Schema station: draft and editions. */
@Component({
  selector: 'rule-schema-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [SchemaStore],
  imports: [
    RuleWaiting,
    RuleOption,
    RuleSelect,
    Bench,
    CdkDrag,
    CdkDropList,
    ChoiceLists,
    FileNames,
    FormsModule,
    IndexRow,
    InputTextModule,
    NumberSeriesView,
    PropertyEditor,
    RolloutView,
    SchemaChecks,
    SchemaEditions,
    SchemaTable,
    SchemaTry,
    Standards,
    StartFiles,
    Way,
  ],
  template: `
    <rule-bench label="Schema" [inspector]="chosenId() !== null">
      <div bench="index">
        <rule-index-row
          [text]="draftTitle()"
          [end]="draftEnd()"
          [tone]="store.errors().length ? 'bad' : 'warn'"
          [on]="view() === 'editions'"
          (choose)="go({ view: 'editions' })"
        />
        <rule-index-row text="Try" [end]="tryEnd()" [on]="view() === 'try'" (choose)="go({ view: 'try' })" />
        <rule-index-row text="Rollout" [on]="view() === 'rollout'" (choose)="go({ view: 'rollout' })" />
        <rule-index-row text="Start files" [on]="view() === 'start-files'" (choose)="go({ view: 'start-files' })" />
        <rule-index-row text="File names" [on]="view() === 'file-names'" (choose)="go({ view: 'file-names' })" />
        <rule-index-row text="Checks" [end]="store.draft()?.schema?.checks?.length ?? ''" [on]="view() === 'checks'" (choose)="go({ view: 'checks' })" />
        <rule-index-row text="All as a table" [on]="view() === 'table'" (choose)="go({ view: 'table' })" />
        <rule-index-row text="Starting points, standards" [on]="view() === 'standards'" (choose)="go({ view: 'standards' })" />
        <h3>Choice lists</h3>
        @for (list of store.lists(); track list.id) {
          <rule-index-row
            [text]="list.name"
            [end]="list.choices.length"
            [on]="view() === 'lists' && item() === '' + list.id"
            (choose)="go({ view: 'lists', item: list.id })"
          />
        } @empty {
          <rule-index-row text="none yet …" [on]="view() === 'lists'" (choose)="go({ view: 'lists' })" />
        }
        <h3>Number series</h3>
        @for (series of store.series(); track series.id) {
          <rule-index-row [text]="series.name" [on]="view() === 'series' && item() === '' + series.id" (choose)="go({ view: 'series', item: series.id })" />
        } @empty {
          <rule-index-row text="none yet …" [on]="view() === 'series'" (choose)="go({ view: 'series' })" />
        }
        <h3>Properties</h3>
        <div class="find">
          <input pInputText placeholder="Find a property" aria-label="Find a property" [ngModel]="find()" (ngModelChange)="find.set($event)" />
          <rule-select ariaLabel="Show" [ngModel]="filter()" (ngModelChange)="filter.set($event)">
            <rule-option value="" label="all" />
            <rule-option value="problem" label="with faults" />
            <rule-option value="changed" label="changed in the draft" />
            @for (kind of kinds; track kind) {
              <rule-option [value]="'kind:' + kind" label="of a {{ kind }}" />
            }
            @for (feed of feeds; track feed) {
              <rule-option [value]="'feed:' + feed" label="{{ feed }}" />
            }
            @for (level of levels; track level) {
              <rule-option [value]="'level:' + level" label="level {{ level }}" />
            }
          </rule-select>
        </div>
        @if (mayAdminister()) {
          <rule-index-row text="Define property" [on]="define() !== undefined" (choose)="go({ define: '' })" />
        }
        @for (group of groups(); track group.name) {
          @if (group.name) {
            <h3>{{ group.name }}</h3>
          }
          <div
            cdkDropList
            [cdkDropListData]="group.properties"
            [cdkDropListDisabled]="!mayAdminister() || !!find() || !!filter()"
            (cdkDropListDropped)="dropped($event)"
          >
            @for (property of group.properties; track property.id) {
              <rule-index-row
                cdkDrag
                cdkDragLockAxis="y"
                [text]="property.caption"
                [end]="marks(property)"
                [tone]="toneOf(property)"
                [on]="property.id === chosenId()"
                (choose)="go({ property: property.id })"
                (keydown.alt.arrowUp)="move(property, -1, $event)"
                (keydown.alt.arrowDown)="move(property, 1, $event)"
              />
            }
          </div>
        }
        @if (retired().length) {
          <h3>Retired</h3>
          @for (property of retired(); track property.id) {
            <rule-index-row [text]="property.caption" end="retired" [on]="property.id === chosenId()" (choose)="go({ property: property.id })" />
          }
        }
        @if (mayAdminister()) {
          <p class="hint">Drag a property or press Alt+arrow to move it.</p>
        }
      </div>

      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (company(); as other) {
        <p class="note" role="status">{{ other }}</p>
      }
      @if (!store.draft()) {
        @if (!store.error()) {
          <rule-waiting />
        }
      } @else {
        @switch (view()) {
          @case ('editions') {
            <rule-schema-editions />
          }
          @case ('try') {
            <rule-schema-try (opened)="go({ property: $event })" />
          }
          @case ('rollout') {
            <rule-rollout (opened)="go({ property: $event })" />
          }
          @case ('file-names') {
            <rule-file-names />
          }
          @case ('start-files') {
            <rule-start-files />
          }
          @case ('checks') {
            <rule-schema-checks />
          }
          @case ('table') {
            <rule-schema-table (opened)="go({ property: $event })" />
          }
          @case ('standards') {
            <rule-standards (opened)="go({ property: $event })" />
          }
          @case ('lists') {
            <rule-choice-lists [id]="item()" (picked)="go({ view: 'lists', item: $event || null })" />
          }
          @case ('series') {
            <rule-number-series [id]="item()" (picked)="go({ view: 'series', item: $event || null })" />
          }
          @default {
            @if (chosenId() !== null || define() !== undefined) {
              <rule-property-editor
                [id]="chosenId()"
                [define]="define() ?? null"
                [kindsAsked]="kindsAsked()"
                (opened)="go($event === null ? { view: 'editions' } : { property: $event })"
              />
            } @else {
              <rule-schema-editions />
            }
          }
        }
      }

      <div bench="inspector">
        @if (chosenId(); as id) {
          @if (isInForce(id)) {
            <rule-way [property]="id" />
          } @else {
            <p class="soft">New in the draft: not used anywhere yet.</p>
          }
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .find {
      padding: 0 14px 8px;
      display: grid;
      gap: 6px;
    }
    .find input,
    .find rule-select {
      width: 100%;
    }
    .hint {
      padding: 10px 18px 0;
      color: var(--soft);
      font-size: 12px;
    }
    .cdk-drag-placeholder {
      opacity: 0.4;
    }
  `,
})
export class SchemaStation {
  protected readonly store = inject(SchemaStore);
  private readonly router = inject(Router);
  private readonly global = inject(Store);
  readonly property = input<string>();
  readonly define = input<string>();
  readonly kindsAsked = input<string | undefined>(undefined, { alias: 'kinds' });
  readonly view = input<string>();
  readonly item = input<string>();

  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  private readonly session = this.global.selectSignal(sessionFeature.selectUser);
  private readonly inForce = this.global.selectSignal(catalogueFeature.selectById);
  protected readonly find = signal('');
  protected readonly filter = signal('');
  protected readonly kinds = KINDS;
  protected readonly feeds = FEEDS;
  protected readonly levels = LEVELS;

  protected readonly chosenId = computed(() => (this.define() === undefined && this.property() ? Number(this.property()) : null));
  private readonly found = computed(() => {
    const wanted = this.find().trim().toLowerCase();
    const [by, value] = this.filter().split(':') as [string, string | undefined];
    const broken = new Set(this.store.problems().flatMap((problem) => (problem.severity === 'error' && problem.property !== null ? [problem.property] : [])));
    const changed = new Set(
      this.store
        .changes()
        .flatMap((change) => (change.type === 'property added' ? [change.property.id] : change.type === 'property changed' ? [change.id] : [])),
    );
    return this.store.properties().filter((property) => {
      if (!`${property.caption} ${property.writtenName} ${property.knownSpellings.join(' ')}`.toLowerCase().includes(wanted)) return false;
      if (by === 'problem') return broken.has(property.id);
      if (by === 'changed') return changed.has(property.id);
      if (by === 'kind') return property.kinds.includes(value as Kind);
      if (by === 'feed') return property.feed === value;
      return by !== 'level' || property.level === value;
    });
  });
  /** Groups in order of their first property. */
  protected readonly groups = computed(() => {
    const groups = new Map<string, Property[]>();
    for (const property of this.found()) if (!property.retired) groups.set(property.group, [...(groups.get(property.group) ?? []), property]);
    return [...groups].map(([name, properties]) => ({ name, properties }));
  });
  protected readonly retired = computed(() => this.found().filter((property) => property.retired));
  protected readonly draftTitle = computed(() => {
    const draft = this.store.draft();
    return !draft
      ? 'Editions'
      : draft.number === null
        ? draft.inForce
          ? `Edition ${draft.inForce} in force`
          : 'Editions'
        : `Draft of edition ${draft.number}`;
  });
  protected readonly draftEnd = computed(() => {
    if (this.store.draft()?.number == null) return '';
    const [errors, changes] = [this.store.errors().length, this.store.changes().length];
    return errors ? `${count(errors, 'fault')}` : `${count(changes, 'change')}`;
  });
  protected readonly tryEnd = computed(() => {
    const summary = this.store.summary();
    return !summary?.done ? '' : summary.outdated ? 'outdated' : 'done';
  });
  /** Recent other editors of the draft. */
  protected readonly company = computed(() => {
    const own = this.session()?.displayName;
    const other = (this.store.draft()?.edits ?? []).find((edit) => edit.by !== own && edit.by !== '');
    if (!other || Date.now() - new Date(other.at).getTime() > 30 * 60_000) return null;
    return `${other.by} works on this draft too: ${showInstant(other.at)}, ${other.what}. Changes are merged; contradictions are shown.`;
  });

  constructor() {
    this.store.load();
    const timer = setInterval(() => {
      if (document.visibilityState === 'visible') this.store.look();
    }, LOOK_EVERY_MS);
    inject(DestroyRef).onDestroy(() => clearInterval(timer));
  }

  protected isInForce(id: number): boolean {
    return this.inForce()[id] !== undefined;
  }
  protected marks(property: Property): string {
    const broken = this.store.problems().some((problem) => problem.severity === 'error' && problem.property === property.id);
    if (broken) return 'fault';
    if (this.store.standing(property.id) !== 'as in force') return this.store.standing(property.id);
    return property.level === 'document'
      ? KINDS.filter((kind) => property.kinds.includes(kind))
          .map((kind) => KIND_MARKS[kind])
          .join(' ')
      : property.level;
  }
  protected toneOf(property: Property): string {
    const mark = this.marks(property);
    return mark === 'fault' ? 'bad' : mark === 'new' || mark === 'changed' ? 'warn' : '';
  }

  protected dropped({ previousIndex, currentIndex, container }: CdkDragDrop<Property[]>): void {
    const group = [...container.data];
    group.splice(currentIndex, 0, ...group.splice(previousIndex, 1));
    this.reorder(container.data, group);
  }
  protected move(property: Property, by: number, event: Event): void {
    const group = this.groups().find((candidate) => candidate.properties.includes(property))?.properties;
    const at = group?.indexOf(property) ?? -1;
    if (!this.mayAdminister() || !group || at + by < 0 || at + by >= group.length || this.find() || this.filter()) return;
    event.preventDefault();
    const moved = [...group];
    moved.splice(at + by, 0, ...moved.splice(at, 1));
    this.reorder(group, moved);
  }
  private reorder(before: readonly Property[], after: readonly Property[]): void {
    if (before.every((property, i) => property === after[i])) return;
    // Reorders within the group's positions.
    const rest = [...after];
    this.store.order(this.store.properties().map((property) => (before.includes(property) ? rest.shift()!.id : property.id)));
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams });
  }
}
