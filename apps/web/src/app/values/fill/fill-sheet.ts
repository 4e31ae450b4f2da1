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
import { FileChoice } from '@rule/contract';
import { Edits, FillFile, Filling, editKey, planSections, unpackFill } from '@rule/core/forms';
import { PreparedSchema, Property, choicesFor, groundOn, slotOf } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { EntryFormView, FieldEdit, Suggestions } from '../../entry-form';
import { RuleOption, RuleSelect, RuleWaiting } from '../../kit';
import { Count, PendingStore, catalogueFeature, inLanguage, sessionFeature, trayFeature, afterTyping } from '../../shared';
import { CopyFrom } from './copy-from';
import { FillFiles } from './fill-files';
import { FillStore } from './fill.store';
import { Decisions, keepEntries, keptEntries } from './kept';
import { SavedValues } from './saved-values';

/** Above this number of files, the form updates with a delay. */
const AT_ONCE = 300;
const PAUSE_MS = 120;

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
  imports: [RuleWaiting, ButtonModule, CopyFrom, Count, EntryFormView, FillFiles, FormsModule, RuleOption, RuleSelect, SavedValues],
  providers: [FillStore],
  template: `
    <div #sheet class="sheet" role="dialog" aria-modal="false" [attr.aria-label]="title()" tabindex="-1" (keydown)="key($event)">
      <header>
        <div class="what">
          <h1>{{ title() }}</h1>
          @if (store.data(); as d) {
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
            <p-button severity="secondary" label="Copy from a file …" (onClick)="panel.set(panel() === 'copy' ? null : 'copy')" />
            <p-button severity="secondary" label="Saved values …" (onClick)="panel.set(panel() === 'sets' ? null : 'sets')" />
          }
          <p-button severity="secondary" label="Close" (onClick)="closed.emit()" />
        </div>
      </header>
      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (store.data() === null && !store.error()) {
        <rule-waiting />
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
        <rule-copy-from [view]="view()" (copied)="take($event)" />
      }
      @if (panel() === 'sets') {
        <rule-saved-values [view]="view()" [savable]="savable()" (used)="take($event)" />
      }
      @if (view(); as v) {
        <div class="body">
          <rule-fill-files [files]="files()" [changed]="changedFiles()" [(left)]="left" />
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
              (drawn)="store.draw($event)"
              (handed)="store.favour($event)"
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
          @if (store.issues().length) {
            <div class="issues" role="alert">
              @for (issue of store.issues().slice(0, 4); track $index) {
                <p class="bad">{{ issue.message }}</p>
              }
              @if (store.issues().length > 4) {
                <p class="bad">and {{ store.issues().length - 4 }} more.</p>
              }
              <button type="button" class="link" (click)="leaveOutRefused()">Exclude these files and reload</button>
            </div>
          }
          <div class="actions">
            <p-button severity="secondary" label="Discard entries" [disabled]="edits().size === 0" (onClick)="forget()" />
            <p-button
              [label]="'Put ' + (v.values.length | count: 'value') + ' in the tray'"
              [disabled]="!v.values.length || v.refused > 0 || asks() || store.busy()"
              (onClick)="put()"
            />
          </div>
        </footer>
      }
    </div>
  `,
  styleUrl: './fill-sheet.css',
})
export class FillSheet implements OnDestroy {
  protected readonly store = inject(FillStore);
  private readonly state = inject(Store);
  readonly choice = input.required<FileChoice>();
  readonly closed = output();

  protected readonly mayEdit = this.state.selectSignal(sessionFeature.selectMayEdit);
  private readonly user = this.state.selectSignal(sessionFeature.selectUser);
  private readonly standIns = this.state.selectSignal(catalogueFeature.selectStandIns);
  private readonly language = this.state.selectSignal(catalogueFeature.selectLanguage);
  private readonly pending = inject(PendingStore);
  private readonly applied = this.state.selectSignal(trayFeature.selectAppliedCount);
  private readonly sheet = viewChild<ElementRef<HTMLElement>>('sheet');

  protected readonly mode = signal<'shared' | 'apart'>('shared');
  /** Typed entries; the view follows immediately or, for many files, delayed. */
  protected readonly edits = signal<Edits>(new Map());
  private readonly settled = signal<Edits>(new Map());
  private readonly decisions = signal<Decisions>(new Map());
  protected readonly left = signal<ReadonlySet<number>>(new Set());
  protected readonly restored = signal(false);
  /** Restored entries whose values have changed since. */
  protected readonly outdated = signal<readonly Outdated[]>([]);
  /** Values present when entries were typed. */
  private readonly stood = new Map<string, string>();
  protected readonly panel = signal<'copy' | 'sets' | null>(null);
  private readonly soon = afterTyping(PAUSE_MS);

  private readonly unpacked = computed(() => {
    const data = this.store.data();
    return data ? unpackFill(data.packed) : null;
  });
  private readonly schema = computed(() => {
    const data = this.store.data();
    const language = this.language();
    return data
      ? new PreparedSchema(
          { ...data.schema, properties: data.schema.properties.map((property) => inLanguage(property, language)) },
          groundOn(this.standIns(), data.lists, data.states, Date.now() / 1000),
        )
      : null;
  });
  protected readonly files = computed(() => this.unpacked()?.files ?? []);
  protected readonly locked = computed(() => this.files().filter((file) => file.lock !== null).length);
  private readonly chosen = computed(() => this.files().filter((file) => !this.left().has(file.id)));
  private readonly sections = computed(() => {
    const data = this.store.data();
    return data ? planSections<FillFile>(this.chosen(), data.schema.forms, data.schema.properties, this.mode()) : [];
  });
  protected readonly several = computed(() => {
    const data = this.store.data();
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
    for (const { property, text } of this.store.data()?.atHand ?? []) atHand.set(property, [...(atHand.get(property) ?? []), text]);
    for (const { property, text, on } of this.store.atHand()) {
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
  }

  ngOnDestroy(): void {
    this.soon(null);
  }

  private storageKey(): string {
    return `rule.fill.${this.user()?.name ?? ''}.${JSON.stringify(this.choice())}`;
  }

  private load(choice: FileChoice): void {
    const first = this.store.data() === null;
    this.store.load(choice, () => {
      this.pending.see(this.files().map((file) => file.id));
      if (!first) return;
      this.restore();
      setTimeout(() => this.sheet()?.nativeElement.focus());
    });
  }

  /** Restores entries after the session ended or the page was left. */
  private restore(): void {
    const kept = keptEntries(this.storageKey());
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

  private keep(edits: Edits, decisions: Decisions): void {
    if (this.store.data() !== null) keepEntries(this.storageKey(), edits, decisions, this.stood);
  }

  private setEdits(edits: Edits, atOnce = false): void {
    for (const key of edits.keys()) if (!this.edits().has(key)) this.remember(key);
    this.edits.set(edits);
    this.store.forgetIssues();
    const atOnceToo = atOnce || this.chosen().length <= AT_ONCE;
    this.soon(atOnceToo ? null : () => this.settled.set(edits));
    if (atOnceToo) this.settled.set(edits);
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

  protected put(): void {
    this.settled.set(this.edits());
    const values = this.worked()?.values ?? [];
    if (values.length === 0) return;
    const name = this.sections().length === 1 ? this.sections()[0]!.title : 'several forms';
    this.store.put(values, `filled in: ${name}`.slice(0, 200), () => {
      this.forget();
      this.closed.emit();
    });
  }

  /** Refused files are left out so the others can proceed. */
  protected leaveOutRefused(): void {
    const named = this.files().filter((file) => this.store.issues().some((issue) => issue.field.startsWith(`${file.path}, `)));
    this.left.update((left) => new Set([...left, ...named.map((file) => file.id)]));
    this.store.forgetIssues();
    this.load(this.choice());
  }

  /** Choices allowed by the parent property's value in all files. */
  private narrowed(id: number): readonly string[] | null {
    const data = this.store.data();
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

  /** Entries for all holders of an input, by property. */
  protected readonly savable = computed(() =>
    (this.worked()?.panels ?? []).flatMap((panel) =>
      panel.inputs.flatMap((entry) => {
        const text = this.settled().get(editKey(panel.section, entry.input.key, ''));
        return text === undefined || text === '' ? [] : [{ property: entry.property.id, text }];
      }),
    ),
  );
  /** Takes entries of another file or of saved values. */
  protected take(entries: readonly (readonly [key: string, text: string])[]): void {
    this.setEdits(new Map([...this.edits(), ...entries]));
    this.panel.set(null);
  }

  protected key(event: KeyboardEvent): void {
    if (event.key === 'Enter' && event.ctrlKey) {
      event.preventDefault();
      event.stopPropagation();
      const view = this.view();
      if (view?.values.length && view.refused === 0 && !this.asks() && !this.store.busy()) this.put();
    } else if (event.key === 'Escape' && this.edits().size === 0) this.closed.emit();
  }
}

/** A file's value as text. */
const heldText = (file: FillFile, property: Property): string => {
  const slot = slotOf(property, file.kind);
  return file.held.get(`${slot.place}/${slot.name}`)?.text ?? '';
};
