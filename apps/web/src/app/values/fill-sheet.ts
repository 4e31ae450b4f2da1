import { ScrollingModule } from '@angular/cdk/scrolling';
import {
  ChangeDetectionStrategy,
  Component,
  ElementRef,
  OnDestroy,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileChoice, FileDetails, FileRow, FillData, ValueSetRow } from '@rule/contract';
import { Edits, FillFile, Filling, InputView, editKey, planSections, unpackFill } from '@rule/core/forms';
import { PreparedSchema, choicesFor, groundOn, slotOf } from '@rule/core/schema';
import { HeldValue, editText, readHeld } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { Subscription, debounceTime, Subject, switchMap, catchError, of } from 'rxjs';
import { EntryFormView, FieldEdit, Suggestions } from '../entry-form';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import {
  Api,
  catalogueFeature,
  Count,
  FileLink,
  inLanguage,
  leftOutText,
  Notices,
  PendingStore,
  problemOf,
  sessionFeature,
  TrayActions,
  trayFeature,
  lockWords,
} from '../shared';

/** Above this number of files, the form updates with a delay. */
const AT_ONCE = 300;
const PAUSE_MS = 120;

/** Unsaved entries, each with the value then present, see {@link Filling.standing}. */
interface Kept {
  readonly edits: readonly (readonly [key: string, text: string, stood?: string])[];
  readonly decisions: readonly (readonly [string, 'keep' | 'clear'])[];
}

/** An entry that is not restored automatically. */
interface Outdated {
  readonly key: string;
  readonly caption: string;
  readonly text: string;
  readonly now: string;
}

/** Fill-in sheet over its files. Changes go to the tray. */
@Component({
  selector: 'rule-fill-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleOption, RuleSelect, ButtonModule, Count, EntryFormView, FileLink, FormsModule, InputTextModule, ScrollingModule, RuleCheck],
  template: `
    <div #sheet class="sheet" role="dialog" aria-modal="false" [attr.aria-label]="title()" tabindex="-1" (keydown)="key($event)">
      <header>
        <div class="what">
          <h1>{{ title() }}</h1>
          @if (data(); as d) {
            <p>
              Edition {{ d.edition }}.
              @for (left of d.leftOut; track left.class) {
                {{ left.files }} of the class {{ left.class || 'none' }} left out.
              }
              @if (locked()) {
                {{ locked() | count: 'file' }} cannot be written now.
              }
            </p>
          }
        </div>
        <div class="actions">
          @if (several()) {
            <rule-select ariaLabel="Files of several classes" [ngModel]="mode()" (ngModelChange)="mode.set($event)">
              <rule-option value="shared" label="shared inputs together" />
              <rule-option value="apart" label="each class apart" />
            </rule-select>
          }
          @if (mayEdit()) {
            <button pButton type="button" class="p-button-text" (click)="panel.set(panel() === 'copy' ? null : 'copy')">Copy from a file …</button>
            <button pButton type="button" class="p-button-text" (click)="openSets()">Saved values …</button>
          }
          <button pButton type="button" class="p-button-text" (click)="closed.emit()">Close</button>
        </div>
      </header>
      @if (error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (data() === null && !error()) {
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }
      @if (restored()) {
        <p class="note" role="status">
          Unsaved entries restored.
          <button type="button" class="link" (click)="forget()">Discard restored entries</button>
        </p>
      }
      @if (outdated().length) {
        <p class="note" role="status">
          Not restored, because the values have changed since:
          @for (entry of outdated(); track entry.key; let last = $last) {
            {{ entry.caption }} (typed {{ entry.text || 'blank' }}, now {{ entry.now }}){{ last ? '.' : ', ' }}
          }
          <button type="button" class="link" (click)="restoreAnyway()">Restore anyway</button>
          <button type="button" class="link" (click)="outdated.set([])">Discard</button>
        </p>
      }
      @if (panel() === 'copy') {
        <section class="card side" aria-label="Copy from a file">
          <label class="field">
            <span>File to copy from</span>
            <input pInputText placeholder="part of its path or of a value" [ngModel]="find()" (ngModelChange)="searched($event)" />
          </label>
          @for (file of found(); track file.id) {
            <button type="button" class="link one" (click)="takeFrom(file)">{{ file.path }}</button>
          }
          @if (source(); as s) {
            <p class="soft">Values of {{ s.path }}; those that are ticked are filled in.</p>
            @for (value of s.values; track value.key) {
              <label class="one"
                ><rule-check [checked]="value.on" (flip)="tick(value.key)" /> {{ value.caption }}: <span class="mono">{{ value.text }}</span></label
              >
            }
            <button pButton type="button" [disabled]="!ticked()" (click)="copy()">Fill in {{ ticked() | count: 'value' }}</button>
          }
        </section>
      }
      @if (panel() === 'sets') {
        <section class="card side" aria-label="Saved values">
          @for (set of sets(); track set.id) {
            <p class="one">
              <button type="button" class="link" (click)="useSet(set)">{{ set.name }}</button>
              <span class="soft">{{ set.values.length | count: 'value' }}{{ set.mine ? '' : ', by ' + set.by }}</span>
              @if (set.mine) {
                <button type="button" class="link" [attr.aria-label]="'Remove the saved values ' + set.name" (click)="removeSet(set)">Remove</button>
              }
            </p>
          } @empty {
            <p class="soft">No saved values yet. Enter values and save them here under a name.</p>
          }
          @if (savable().length) {
            <div class="keep">
              <input pInputText aria-label="Name for the saved values" placeholder="name" [ngModel]="setName()" (ngModelChange)="setName.set($event)" />
              <label><rule-check [checked]="setShared()" (flip)="setShared.set(!setShared())" /> for everyone</label>
              <button pButton type="button" [disabled]="!setName().trim()" (click)="saveSet()">Save {{ savable().length | count: 'entered value' }}</button>
            </div>
          }
        </section>
      }
      @if (view(); as v) {
        <div class="body">
          <nav class="files" aria-label="Files that are filled in">
            @if (classes().length > 1) {
              <div class="classes" role="group" aria-label="Classes that are filled in">
                @for (entry of classes(); track entry.name) {
                  <label
                    ><rule-check [checked]="entry.on" (flip)="leaveClass(entry.name, entry.on)" /> {{ entry.name || 'no class' }} ({{ entry.files }})</label
                  >
                }
              </div>
            }
            <cdk-virtual-scroll-viewport [itemSize]="28" class="list">
              <div class="file" *cdkVirtualFor="let file of mutableFiles()" [class.off]="left().has(file.id)">
                <rule-check [ariaLabel]="'fill in ' + file.path" [checked]="!left().has(file.id)" (flip)="leave(file.id)" />
                <rule-file [id]="file.id" [path]="file.path" [text]="file.name" />
                @if (file.lock) {
                  <span class="mark warn" [title]="'The file ' + lockWords(file)">locked</span>
                } @else if (changedFiles().has(file.id)) {
                  <span class="mark good">{{ changedFiles().get(file.id) }}</span>
                }
              </div>
            </cdk-virtual-scroll-viewport>
          </nav>
          <div class="form">
            @for (left of v.leftovers; track left.key) {
              <p class="note">
                {{ left.caption }} is in {{ left.files | count: 'file' }}, but no input shows it.
                @if (left.asks) {
                  Keep the value or clear it?
                  <button type="button" class="link" (click)="decide(left.key, 'keep')">Keep</button>
                  <button type="button" class="link" (click)="decide(left.key, 'clear')">Clear</button>
                }
              </p>
            }
            <rule-entry-form
              [view]="v"
              [titles]="titles()"
              [suggestions]="suggestions()"
              [disabled]="!mayEdit()"
              (edited)="edit($event)"
              (drawn)="draw($event)"
              (handed)="favour($event)"
            />
          </div>
        </div>
        <footer>
          <span role="status">
            @if (v.values.length) {
              <b>{{ v.values.length | count: 'value' }}</b> in <b>{{ v.files | count: 'file' }}</b> would change.
            } @else {
              Nothing would change yet.
            }
            @if (v.refused) {
              <span class="bad">{{ v.refused | count: 'entry is not valid.' : 'entries are not valid.' }}</span>
            }
            @if (pendingHere()) {
              <span class="soft">{{ pendingHere() | count: 'line' }} of these files already pending in the tray.</span>
            }
          </span>
          @if (issues().length) {
            <div class="issues" role="alert">
              @for (issue of issues().slice(0, 4); track $index) {
                <p class="bad">{{ issue.message }}</p>
              }
              @if (issues().length > 4) {
                <p class="bad">and {{ issues().length - 4 }} more.</p>
              }
              <button type="button" class="link" (click)="leaveOutRefused()">Exclude these files and reload</button>
            </div>
          }
          <div class="actions">
            <button pButton type="button" class="p-button-text" [disabled]="edits().size === 0" (click)="forget()">Discard entries</button>
            <button pButton type="button" [disabled]="!v.values.length || v.refused > 0 || asks() || busy()" (click)="put()">
              Put {{ v.values.length | count: 'value' }} in the tray
            </button>
          </div>
        </footer>
      }
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
      min-height: 0;
    }
    .sheet {
      height: 100%;
      display: flex;
      flex-direction: column;
      background: var(--vellum);
      border: 1px solid var(--line);
      border-top: 3px solid var(--brass);
      border-radius: 5px;
      padding: 14px 18px 0;
      outline: none;
    }
    header {
      display: flex;
      gap: 12px;
      align-items: flex-start;
      margin-bottom: 10px;
    }
    .what {
      flex: 1;
      min-width: 0;
    }
    .what p {
      margin: 3px 0 0;
      color: var(--soft);
    }
    .body {
      flex: 1;
      min-height: 0;
      display: grid;
      grid-template-columns: minmax(150px, 220px) minmax(0, 1fr);
      gap: 16px;
    }
    .files {
      min-height: 0;
      display: flex;
      flex-direction: column;
    }
    .classes label {
      display: block;
    }
    .classes {
      margin-bottom: 8px;
      padding-bottom: 6px;
      border-bottom: 1px solid var(--line);
    }
    .list {
      flex: 1;
      min-height: 120px;
    }
    .file {
      display: flex;
      align-items: center;
      gap: 6px;
      height: 28px;
      overflow: hidden;
      white-space: nowrap;
    }
    .file rule-file {
      overflow: hidden;
      text-overflow: ellipsis;
      flex: 1;
      min-width: 0;
    }
    .off rule-file {
      text-decoration: line-through;
      color: var(--faint);
    }
    .mark {
      font:
        500 11px 'Barlow Semi Condensed',
        sans-serif;
      padding-right: 4px;
    }
    .form {
      overflow: auto;
      min-height: 0;
      padding-right: 4px;
    }
    footer {
      display: flex;
      gap: 14px;
      align-items: center;
      flex-wrap: wrap;
      justify-content: space-between;
      padding: 10px 0 12px;
      border-top: 1px solid var(--line);
    }
    .issues {
      flex-basis: 100%;
      order: -1;
    }
    .issues p {
      margin: 0 0 2px;
    }
    .side {
      padding: 12px 16px;
      margin-bottom: 12px;
      max-height: 46%;
      overflow: auto;
    }
    .one {
      display: block;
      margin: 0 0 4px;
    }
    .one .link {
      margin-right: 8px;
    }
    .keep {
      display: flex;
      gap: 10px;
      align-items: center;
      flex-wrap: wrap;
      margin-top: 8px;
    }
  `,
})
export class FillSheet implements OnDestroy {
  protected readonly lockWords = lockWords;
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly notices = inject(Notices);
  readonly choice = input.required<FileChoice>();
  readonly closed = output();

  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly user = this.store.selectSignal(sessionFeature.selectUser);
  private readonly standIns = this.store.selectSignal(catalogueFeature.selectStandIns);
  private readonly language = this.store.selectSignal(catalogueFeature.selectLanguage);
  private readonly pending = inject(PendingStore);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  private readonly sheet = viewChild<ElementRef<HTMLElement>>('sheet');

  protected readonly data = signal<FillData | null>(null);
  protected readonly error = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly mode = signal<'shared' | 'apart'>('shared');
  /** Typed entries; the view follows immediately or, for many files, delayed. */
  protected readonly edits = signal<Edits>(new Map());
  private readonly settled = signal<Edits>(new Map());
  private readonly decisions = signal<ReadonlyMap<string, 'keep' | 'clear'>>(new Map());
  protected readonly left = signal<ReadonlySet<number>>(new Set());
  protected readonly restored = signal(false);
  /** Restored entries whose values have changed since. */
  protected readonly outdated = signal<readonly Outdated[]>([]);
  /** Values present when entries were typed. */
  private readonly stood = new Map<string, string>();
  protected readonly issues = signal<readonly { readonly field: string; readonly message: string }[]>([]);
  protected readonly panel = signal<'copy' | 'sets' | null>(null);
  private readonly added = signal<readonly { readonly property: number; readonly text: string; readonly on: boolean }[]>([]);
  private pause: ReturnType<typeof setTimeout> | undefined;
  private readonly running = new Subscription();

  private readonly unpacked = computed(() => {
    const data = this.data();
    return data ? unpackFill(data.packed) : null;
  });
  private readonly schema = computed(() => {
    const data = this.data();
    const language = this.language();
    return data
      ? new PreparedSchema(
          { ...data.schema, properties: data.schema.properties.map((property) => inLanguage(property, language)) },
          groundOn(this.standIns(), data.lists, data.states, Date.now() / 1000),
        )
      : null;
  });
  protected readonly files = computed(() => this.unpacked()?.files ?? []);
  protected readonly mutableFiles = computed(() => [...this.files()]);
  protected readonly locked = computed(() => this.files().filter((file) => file.lock !== null).length);
  private readonly chosen = computed(() => this.files().filter((file) => !this.left().has(file.id)));
  private readonly sections = computed(() => {
    const data = this.data();
    return data ? planSections<FillFile>(this.chosen(), data.schema.forms, data.schema.properties, this.mode()) : [];
  });
  protected readonly several = computed(() => {
    const data = this.data();
    return data !== null && planSections<FillFile>(this.files(), data.schema.forms, data.schema.properties, 'apart').length > 1;
  });
  protected readonly titles = computed(() => new Map(this.sections().map((section) => [section.key, section.title])));
  private readonly filling = computed(() => {
    const [schema, unpacked, user] = [this.schema(), this.unpacked(), this.user()];
    return schema && unpacked && user ? new Filling(this.sections(), unpacked.wides, schema, user.role) : null;
  });
  private readonly worked = computed(() => this.filling()?.view(this.settled(), this.decisions()) ?? null);
  /** The view with the last entry applied. */
  protected readonly view = computed(() => {
    const [view, edits] = [this.worked(), this.edits()];
    if (view === null || edits === this.settled()) return view;
    return {
      ...view,
      panels: view.panels.map((panel) => ({
        ...panel,
        inputs: panel.inputs.map((entry) => ({
          ...entry,
          rows: entry.rows.map((row) => ({ ...row, typed: edits.get(editKey(panel.section, entry.input.key, row.id)) ?? null })),
        })),
      })),
    };
  });
  protected readonly asks = computed(() => this.view()?.leftovers.some((left) => left.asks) ?? false);
  protected readonly changedFiles = computed(() => {
    const counts = new Map<number, number>();
    for (const { file } of this.worked()?.values ?? []) counts.set(file, (counts.get(file) ?? 0) + 1);
    return counts;
  });
  protected readonly pendingHere = computed(() => {
    const ids = new Set(this.files().map((file) => file.id));
    return this.pending.lines().filter((line) => ids.has(line.file)).length;
  });
  protected readonly title = computed(() => {
    const files = this.chosen();
    return files.length === 0 ? 'Fill in' : files.length === 1 ? `Fill in ${files[0]!.name}` : `Fill in ${files.length} files`;
  });
  protected readonly suggestions = computed((): Suggestions => {
    const atHand = new Map<number, string[]>();
    for (const { property, text } of this.data()?.atHand ?? []) atHand.set(property, [...(atHand.get(property) ?? []), text]);
    for (const { property, text, on } of this.added()) {
      const own = (atHand.get(property) ?? []).filter((known) => known !== text);
      atHand.set(property, on ? [...own, text] : own);
    }
    return { atHand, narrowed: (property) => this.narrowed(property) };
  });

  constructor() {
    effect(() => {
      const choice = this.choice();
      this.applied();
      untracked(() => this.load(choice));
    });
    effect(() => {
      const [edits, decisions] = [this.edits(), this.decisions()];
      untracked(() => this.keep(edits, decisions));
    });
    this.running.add(
      this.searches
        .pipe(
          debounceTime(250),
          switchMap((text) =>
            text.trim() === ''
              ? of([])
              : this.api.files({ search: text.trim(), limit: 12 }).pipe(
                  switchMap((page) => of(page.rows)),
                  catchError(() => of([])),
                ),
          ),
        )
        .subscribe((rows) => this.found.set(rows)),
    );
  }

  ngOnDestroy(): void {
    clearTimeout(this.pause);
    this.running.unsubscribe();
  }

  private storageKey(): string {
    return `rule.fill.${this.user()?.name ?? ''}.${JSON.stringify(this.choice())}`;
  }

  private load(choice: FileChoice): void {
    const first = this.data() === null;
    this.api.fill(choice).subscribe({
      next: (data) => {
        this.data.set(data);
        this.pending.see(this.files().map((file) => file.id));
        this.error.set(null);
        if (first) {
          this.restore();
          setTimeout(() => this.sheet()?.nativeElement.focus());
        }
      },
      error: (failure: unknown) => this.error.set(problemOf(failure).detail),
    });
  }

  /** Restores entries after the session ended or the page was left. */
  private restore(): void {
    try {
      const kept = JSON.parse(localStorage.getItem(this.storageKey()) ?? 'null') as Kept | null;
      if (!kept || kept.edits.length === 0) return;
      const good = new Map<string, string>();
      const outdated: Outdated[] = [];
      for (const [key, text, stood] of kept.edits) {
        const standing = this.filling()?.standing(key) ?? null;
        // Skips entries that are already stored or no longer have a field.
        if (standing === null || standing.texts.every((entry) => entry.text === text)) continue;
        if (JSON.stringify(standing.texts) === stood) good.set(key, text);
        else outdated.push({ key, text, caption: standing.caption, now: standing.texts.length === 1 ? standing.texts[0]!.text || 'blank' : 'several values' });
      }
      this.decisions.set(new Map(kept.decisions));
      this.outdated.set(outdated);
      if (good.size === 0) return;
      this.setEdits(good, true);
      this.restored.set(true);
    } catch {
      // Without storage there is nothing to bring back.
    }
  }
  protected restoreAnyway(): void {
    const edits = new Map(this.edits());
    for (const { key, text } of this.outdated()) edits.set(key, text);
    this.outdated.set([]);
    this.setEdits(edits, true);
  }

  private remember(key: string): void {
    const standing = this.filling()?.standing(key);
    if (standing) this.stood.set(key, JSON.stringify(standing.texts));
  }

  private keep(edits: Edits, decisions: ReadonlyMap<string, 'keep' | 'clear'>): void {
    if (this.data() === null) return;
    try {
      if (edits.size === 0) localStorage.removeItem(this.storageKey());
      else
        localStorage.setItem(
          this.storageKey(),
          JSON.stringify({
            edits: [...edits].map(([key, text]) => [key, text, this.stood.get(key) ?? ''] as const),
            decisions: [...decisions],
          } satisfies Kept),
        );
    } catch {
      // Where nothing can be stored, what was typed lives as long as the page.
    }
  }

  private setEdits(edits: Edits, atOnce = false): void {
    for (const key of edits.keys()) if (!this.edits().has(key)) this.remember(key);
    this.edits.set(edits);
    this.issues.set([]);
    clearTimeout(this.pause);
    if (atOnce || this.chosen().length <= AT_ONCE) this.settled.set(edits);
    else this.pause = setTimeout(() => this.settled.set(edits), PAUSE_MS);
  }

  protected edit({ section, input: key, row, text }: FieldEdit): void {
    const edits = new Map(this.edits());
    if (text === null) edits.delete(editKey(section, key, row));
    else edits.set(editKey(section, key, row), text);
    this.setEdits(edits);
  }

  protected forget(): void {
    this.decisions.set(new Map());
    this.restored.set(false);
    this.outdated.set([]);
    this.setEdits(new Map(), true);
    // Saved immediately, as the sheet may close before the next rendering.
    this.keep(new Map(), new Map());
  }

  protected decide(key: string, what: 'keep' | 'clear'): void {
    this.decisions.update((decisions) => new Map([...decisions, [key, what]]));
  }

  /** Classes of the files and whether they are included. */
  protected readonly classes = computed(() => {
    const counts = new Map<string, { files: number; on: boolean }>();
    for (const file of this.files()) {
      const entry = counts.get(file.className ?? '') ?? { files: 0, on: false };
      entry.files++;
      entry.on ||= !this.left().has(file.id);
      counts.set(file.className ?? '', entry);
    }
    return [...counts].map(([name, entry]) => ({ name, ...entry })).sort((a, b) => a.name.localeCompare(b.name));
  });
  protected leaveClass(name: string, out: boolean): void {
    const own = this.files().filter((file) => (file.className ?? '') === name);
    this.left.update((left) => {
      const next = new Set(left);
      for (const file of own)
        if (out) next.add(file.id);
        else next.delete(file.id);
      return next;
    });
  }

  protected leave(id: number): void {
    this.left.update((left) => {
      const next = new Set(left);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  }

  protected put(): void {
    this.settled.set(this.edits());
    const values = this.worked()?.values ?? [];
    if (values.length === 0) return;
    this.busy.set(true);
    const name = this.sections().length === 1 ? this.sections()[0]!.title : 'several forms';
    this.api.propose({ values, reason: `filled in: ${name}`.slice(0, 200) }).subscribe({
      next: ({ left, ...tray }) => {
        this.busy.set(false);
        this.store.dispatch(TrayActions.loaded(tray));
        const without = new Set(left.map(({ file }) => file));
        const waiting = values.filter(({ file }) => !without.has(file)).length;
        this.notices.done([`${count(waiting, 'value')} added to your tray.`, leftOutText(left)].filter(Boolean).join(' '));
        this.forget();
        this.closed.emit();
      },
      error: (failure: unknown) => {
        this.busy.set(false);
        const problem = problemOf(failure);
        this.issues.set(problem.issues?.length ? problem.issues : [{ field: '', message: problem.detail }]);
      },
    });
  }

  /** Refused files are left out so the others can proceed. */
  protected leaveOutRefused(): void {
    const named = this.files().filter((file) => this.issues().some((issue) => issue.field.startsWith(`${file.path}, `)));
    this.left.update((left) => new Set([...left, ...named.map((file) => file.id)]));
    this.issues.set([]);
    this.load(this.choice());
  }

  protected draw(entry: InputView): void {
    this.api.drawForFiles(entry.property.id, entry.drawable).subscribe({
      next: ({ lines, skipped }) => {
        this.store.dispatch(TrayActions.load());
        this.notices.done(
          `${count(lines, 'number')} added to your tray.${skipped.length ? ` Passed over: ${skipped[0]!.path} ${skipped[0]!.message}${skipped.length > 1 ? ` And ${skipped.length - 1} more.` : ''}` : ''}`,
        );
      },
      error: this.notices.failed,
    });
  }

  protected favour({ property, text, on }: { property: number; text: string; on: boolean }): void {
    this.api
      .keepAtHand({ property, text, on })
      .subscribe({ next: () => this.added.update((added) => [...added, { property, text, on }]), error: this.notices.failed });
  }

  /** Choices allowed by the parent property's value in all files. */
  private narrowed(id: number): readonly string[] | null {
    const data = this.data();
    const property = data?.schema.properties.find((candidate) => candidate.id === id);
    const list = data?.lists.find((candidate) => candidate.name === property?.list);
    if (property?.narrowedBy == null || list?.goesWith == null) return null;
    const by = data!.schema.properties.find((candidate) => candidate.writtenName === property.narrowedBy);
    for (const panel of this.worked()?.panels ?? [])
      for (const entry of panel.inputs) {
        const row = entry.property.id === by?.id ? entry.rows[0] : undefined;
        if (row) return row.state === 'same' && row.text !== '' ? choicesFor(list, row.text) : null;
      }
    const texts = by ? new Set(this.chosen().map((file) => heldText(file, by))) : new Set<string>();
    return texts.size === 1 && !texts.has('') ? choicesFor(list, [...texts][0]!) : null;
  }

  // Copying from another file.
  protected readonly find = signal('');
  protected readonly found = signal<readonly FileRow[]>([]);
  private readonly searches = new Subject<string>();
  protected readonly source = signal<{
    readonly path: string;
    readonly values: readonly {
      readonly key: string;
      readonly caption: string;
      readonly text: string;
      readonly on: boolean;
      readonly edit: readonly [string, string];
    }[];
  } | null>(null);
  protected readonly ticked = computed(() => this.source()?.values.filter((value) => value.on).length ?? 0);

  protected searched(text: string): void {
    this.find.set(text);
    this.searches.next(text);
  }
  protected takeFrom(file: FileRow): void {
    this.api.file(file.id).subscribe({
      next: (details: FileDetails) => {
        const held = new Map(
          (details.holders.find((holder) => holder.key === '')?.values ?? []).map((value) => [`${value.place}/${value.name}`, value.held] as const),
        );
        const values = (this.view()?.panels ?? []).flatMap((panel) =>
          panel.inputs.flatMap((entry) => {
            if (entry.input.level !== 'document' || !entry.open) return [];
            const slot = slotOf(entry.property, file.kind);
            const text = editable(held.get(`${slot.place}/${slot.name}`) ?? null, entry);
            return text === ''
              ? []
              : [{ key: entry.key, caption: entry.caption, text, on: true, edit: [editKey(panel.section, entry.input.key, ''), text] as const }];
          }),
        );
        this.source.set({ path: file.path, values });
      },
      error: this.notices.failed,
    });
  }
  protected tick(key: string): void {
    this.source.update((source) => source && { ...source, values: source.values.map((value) => (value.key === key ? { ...value, on: !value.on } : value)) });
  }
  protected copy(): void {
    this.setEdits(new Map([...this.edits(), ...(this.source()?.values ?? []).filter((value) => value.on).map((value) => value.edit)]));
    this.panel.set(null);
    this.source.set(null);
  }

  // Saved value sets.
  protected readonly sets = signal<readonly ValueSetRow[]>([]);
  protected readonly setName = signal('');
  protected readonly setShared = signal(false);
  /** Entries for all holders of an input, by property. */
  protected readonly savable = computed(() =>
    (this.worked()?.panels ?? []).flatMap((panel) =>
      panel.inputs.flatMap((entry) => {
        const text = this.settled().get(editKey(panel.section, entry.input.key, ''));
        return text === undefined || text === '' ? [] : [{ property: entry.property.id, text }];
      }),
    ),
  );
  protected openSets(): void {
    this.panel.update((panel) => (panel === 'sets' ? null : 'sets'));
    if (this.panel() === 'sets') this.api.valueSets().subscribe({ next: (sets) => this.sets.set(sets), error: this.notices.failed });
  }
  protected useSet({ values }: ValueSetRow): void {
    const wanted = new Map(values.map((value) => [value.property, value.text]));
    const edits = new Map(this.edits());
    let filled = 0;
    for (const panel of this.view()?.panels ?? [])
      for (const entry of panel.inputs) {
        const text = wanted.get(entry.property.id);
        if (text === undefined || !entry.open) continue;
        edits.set(editKey(panel.section, entry.input.key, ''), text);
        filled++;
      }
    this.setEdits(edits);
    this.panel.set(null);
    const rest = values.length - filled;
    if (rest > 0) this.notices.done(`${count(rest, 'value has', 'values have')} no open input here.`);
  }
  protected saveSet(): void {
    this.api.saveValueSet({ name: this.setName().trim(), shared: this.setShared(), values: this.savable() }).subscribe({
      next: (sets) => {
        this.sets.set(sets);
        this.setName.set('');
      },
      error: this.notices.failed,
    });
  }
  protected removeSet(set: ValueSetRow): void {
    this.api
      .removeValueSet(set.id)
      .subscribe({ next: () => this.sets.update((sets) => sets.filter((other) => other.id !== set.id)), error: this.notices.failed });
  }

  protected key(event: KeyboardEvent): void {
    if (event.key === 'Enter' && event.ctrlKey) {
      event.preventDefault();
      event.stopPropagation();
      const view = this.view();
      if (view?.values.length && view.refused === 0 && !this.asks() && !this.busy()) this.put();
    } else if (event.key === 'Escape' && this.edits().size === 0) this.closed.emit();
  }
}

/** A file's value as editable text. */
const editable = (held: HeldValue | null, entry: Pick<InputView, 'property'>): string => {
  if (held === null || held.text === '') return '';
  const parsed = readHeld(held, entry.property);
  return parsed.ok ? editText(parsed.value, entry.property) : held.text;
};
const heldText = (file: FillFile, property: InputView['property']): string => {
  const slot = slotOf(property, file.kind);
  return file.held.get(`${slot.place}/${slot.name}`)?.text ?? '';
};
