import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Binding, EntryForm, Link, SchemaChange, bindingWords, cellName, layoutChanges, linkEndsWords, linkName } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleColumn, RuleTable, RuleTakeFile } from '../kit';
import { Count, sessionFeature, showInstant } from '../shared';
import { EditionsStore } from './editions.store';
import { SchemaStore } from './schema.store';

/** A part of a definition in words. */
export function inWords(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'nothing';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) return value.length === 0 ? 'nothing' : value.map(inWords).join(', ');
  if (typeof value === 'object')
    return Object.entries(value)
      .map(([field, part]) => `${fieldWords(field)}: ${inWords(part)}`)
      .join('; ');
  return typeof value === 'string' ? value : String(Number(value));
}

/** Field names for display: `maxLength` becomes "max length". */
export const fieldWords = (field: string): string => field.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`);

/** Comparison of draft and edition in force, publishing, and all editions. */
@Component({
  selector: 'rule-schema-editions',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [EditionsStore],
  imports: [RuleColumn, RuleTable, RuleTakeFile, ButtonModule, Count, FormsModule, InputTextModule, RouterLink],
  template: `
    @let d = store.draft();
    <div class="head">
      <div>
        <h1>{{ d?.number ? 'Draft of edition ' + d?.number : d?.inForce ? 'Edition ' + d?.inForce + ' is in force' : 'No edition yet' }}</h1>
        <p class="soft">
          @if (d?.number) {
            {{ store.changes().length | count: 'change' }} against {{ d?.inForce ? 'edition ' + d?.inForce : 'an empty schema' }}.
            @if (store.errors().length) {
              <span class="bad">{{ store.errors().length | count: 'fault keeps' : 'faults keep' }} it from coming into force.</span>
            }
          } @else {
            Change a property to start a draft.
          }
        </p>
      </div>
      @if (d?.number && mayAdminister()) {
        <div class="actions"><p-button severity="secondary" label="Discard draft" [disabled]="asking()" (onClick)="ask()" /></div>
      } @else if (d?.discarded && mayAdminister()) {
        <div class="actions"><p-button severity="secondary" label="Restore the discarded draft" (onClick)="store.reinstate()" /></div>
      }
    </div>
    @if (asking() && d?.number) {
      <section class="card ask" role="alertdialog" aria-labelledby="discard-title" tabindex="-1" (keydown.escape)="asking.set(false)">
        <h2 id="discard-title">Discard the draft?</h2>
        <p>{{ lossText() }} Files keep their values. The draft can be restored until another one begins.</p>
        <div class="actions">
          <p-button severity="secondary" label="Keep the draft" (onClick)="asking.set(false)" />
          <p-button severity="danger" label="Discard draft" (onClick)="discard()" />
        </div>
      </section>
    } @else if (d?.discarded; as gone) {
      <p class="note">{{ gone.by || 'Somebody' }} discarded a draft with {{ gone.changes | count: 'change' }}, {{ when(gone.at) }}.</p>
    }
    @if (d?.number) {
      <section class="card" aria-labelledby="changes">
        <h2 id="changes">What it changes</h2>
        <rule-table label="Changes of the draft" [rows]="changes()">
          <ng-container *ruleColumn="let row of changes(); name: 'Definition'">{{ row.subject }}</ng-container>
          <ng-container *ruleColumn="let row of changes(); name: 'What'">{{ row.what }}</ng-container>
          <ng-container *ruleColumn="let row of changes(); name: 'In force'; look: 'mono'">{{ row.before }}</ng-container>
          <ng-container *ruleColumn="let row of changes(); name: 'In the draft'; look: 'mono'">{{ row.after }}</ng-container>
        </rule-table>
      </section>
      @if (store.problems().length) {
        <section class="card" aria-labelledby="problems">
          <h2 id="problems">Faults and doubts</h2>
          <ul>
            @for (problem of store.problems(); track $index) {
              <li [class]="problem.severity === 'error' ? 'bad' : 'warn'">
                <span class="visually-hidden">{{ problem.severity }}: </span>{{ problem.message }}
                @if (problem.code === 'no-cell') {
                  <a routerLink="/title-blocks" [queryParams]="{ home: problem.property }">Give it a cell</a>
                }
              </li>
            }
          </ul>
        </section>
      }
      @if (mayAdminister()) {
        <section class="card" aria-labelledby="force">
          <h2 id="force">Bring it into force</h2>
          <p class="soft">The whole draft comes into force at once. Files are not changed; see Rollout for what they lack.</p>
          @if (store.summary(); as s) {
            @if (s.outdated || s.edition !== d?.number) {
              <p class="warn">The current draft has not been tried on the files.</p>
            }
          } @else {
            <p class="warn">The draft has not been tried on the files.</p>
          }
          <label class="field"><span>Note: reason for the change</span><input pInputText [ngModel]="note()" (ngModelChange)="note.set($event)" /></label>
          <p><p-button label="Bring into force" [disabled]="!note().trim() || store.errors().length > 0" [loading]="store.saving()" (onClick)="enact()" /></p>
        </section>
      }
      @if (d?.edits?.length) {
        <section class="card" aria-labelledby="edits">
          <h2 id="edits">Worked on by</h2>
          <ul>
            @for (edit of d?.edits; track $index) {
              <li>{{ when(edit.at) }}: {{ edit.by || 'Rule' }} {{ edit.what }}</li>
            }
          </ul>
        </section>
      }
    }
    <section class="card" aria-labelledby="all">
      <h2 id="all">Editions</h2>
      <rule-table label="Editions" [rows]="store.editions()" key="number">
        <ng-container *ruleColumn="let edition of store.editions(); name: 'Edition'; num: true">{{ edition.number }}</ng-container>
        <ng-container *ruleColumn="let edition of store.editions(); name: 'State'">
          <span class="chip" [class.brass]="edition.state === 'in force'">{{ edition.state }}</span>
        </ng-container>
        <ng-container *ruleColumn="let edition of store.editions(); name: 'Since'">{{ when(edition.at) }}</ng-container>
        <ng-container *ruleColumn="let edition of store.editions(); name: 'By'">{{ edition.by ?? '' }}</ng-container>
        <ng-container *ruleColumn="let edition of store.editions(); name: 'Note'">{{ edition.note }}</ng-container>
        <ng-container *ruleColumn="let edition of store.editions(); name: 'Properties'; num: true">{{ edition.properties }}</ng-container>
        <ng-container *ruleColumn="let edition of store.editions(); said: 'Actions'">
          @if (edition.state === 'superseded') {
            <button type="button" class="link" (click)="editions.compare(edition.number)">compare</button>
            @if (mayAdminister()) {
              <button type="button" class="link" (click)="store.goBack(edition.number)">make it the draft</button>
            }
          }
        </ng-container>
      </rule-table>
      @if (editions.compared(); as c) {
        <h3>From edition {{ c.from }} to edition {{ c.to }}</h3>
        <rule-table label="Differences of the editions" [rows]="differences()" empty="No differences.">
          <ng-container *ruleColumn="let row of differences()">{{ row.subject }}</ng-container>
          <ng-container *ruleColumn="let row of differences()">{{ row.what }}</ng-container>
          <ng-container *ruleColumn="let row of differences(); look: 'mono'">{{ row.before }}</ng-container>
          <ng-container *ruleColumn="let row of differences(); look: 'mono'">{{ row.after }}</ng-container>
        </rule-table>
      }
    </section>
    <section class="card" aria-labelledby="travel">
      <h2 id="travel">Export and import</h2>
      <div class="row">
        <p-button severity="secondary" label="Export workbook" (onClick)="editions.sendOut('xlsx')" />
        <p-button severity="secondary" label="JSON" (onClick)="editions.sendOut('json')" />
        <a href="/api/schema/page" target="_blank" rel="noopener">Page to print</a>
        @if (mayAdminister()) {
          <rule-take-file
            label="Import a workbook, CSV or JSON file"
            hint="or drop it here"
            accept=".xlsx,.csv,.json"
            (taken)="store.takeDocument($event[0]!)"
          />
        }
      </div>
    </section>
  `,
  styles: `
    section.card {
      padding: 14px 18px;
      margin-bottom: 14px;
    }
    h2 {
      margin: 0 0 8px;
    }
    ul {
      margin: 0;
      padding-left: 18px;
    }
    .row {
      display: flex;
      gap: 14px;
      align-items: center;
      flex-wrap: wrap;
    }
    .field input {
      width: 100%;
    }
    rule-table {
      overflow-wrap: anywhere;
    }
    rule-take-file {
      margin-left: auto;
    }
  `,
})
export class SchemaEditions {
  protected readonly store = inject(SchemaStore);
  protected readonly editions = inject(EditionsStore);
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  protected readonly note = signal('');
  protected readonly when = showInstant;
  private readonly captions = computed(() => new Map(this.store.properties().map((property) => [property.id, property.caption])));

  protected readonly changes = computed(() => this.rows(this.store.changes()));
  protected readonly differences = computed(() => this.rows(this.editions.compared()?.changes ?? []));

  private rows(changes: readonly SchemaChange[]): { subject: string; what: string; before: string; after: string }[] {
    return changes.flatMap((change) => {
      const row = (subject: string, what: string, before = '', after = '') => ({ subject, what, before, after });
      switch (change.type) {
        case 'property added':
          return [row(change.property.caption, 'new property', '', change.property.writtenName)];
        case 'property removed':
          return [row(change.property.caption, 'removed', change.property.writtenName)];
        case 'property changed':
          return change.fields.map(({ field, before, after }) => row(change.caption, fieldWords(field), inWords(before), inWords(after)));
        case 'check added':
          return [row(change.check.title, 'new check', '', change.check.condition)];
        case 'check removed':
          return [row(change.check.title, 'check removed', change.check.condition)];
        case 'check changed':
          return change.fields.map(({ field, before, after }) => row(change.title, fieldWords(field), inWords(before), inWords(after)));
        case 'form added':
          return [row(`Form ${change.form.name}`, 'new form', '', change.form.kinds.join(', '))];
        case 'form removed':
          return [row(`Form ${change.form.name}`, 'form removed')];
        case 'form changed':
          return change.fields.flatMap(({ field, before, after }) =>
            field === 'panels'
              ? layoutChanges(before as EntryForm['panels'], after as EntryForm['panels'], this.caption).map((what) => row(`Form ${change.name}`, what))
              : [row(`Form ${change.name}`, fieldWords(field), inWords(before), inWords(after))],
          );
        case 'binding added':
          return [row(`Cell ${cellName(change.binding)}`, 'bound', '', this.cellWords(change.binding))];
        case 'binding removed':
          return [row(`Cell ${cellName(change.binding)}`, 'not bound', this.cellWords(change.binding))];
        case 'binding changed':
          return change.fields.map(({ field, before, after }) =>
            field === 'shows'
              ? row(`Cell ${change.cell}`, 'shows', this.piecesWords(before), this.piecesWords(after))
              : row(`Cell ${change.cell}`, fieldWords(field), inWords(before), inWords(after)),
          );
        case 'link added':
          return [row(`Record field ${linkName(change.link)}`, 'linked', '', this.linkWords(change.link))];
        case 'link removed':
          return [row(`Record field ${linkName(change.link)}`, 'no longer linked', this.linkWords(change.link))];
        case 'link changed':
          return change.fields.map(({ field, before, after }) =>
            field === 'at'
              ? row(`Record field ${change.field}`, 'leads to', this.endWords(before), this.endWords(after))
              : row(`Record field ${change.field}`, fieldWords(field), inWords(before), inWords(after)),
          );
        case 'strangers changed':
          return [row('Names outside the schema', 'changed', inWords(change.before), inWords(change.after))];
        case 'order changed':
          return [
            row(
              { properties: 'Properties', checks: 'Checks', forms: 'Forms' }[change.of],
              'order',
              this.order(change.of, change.before),
              this.order(change.of, change.after),
            ),
          ];
      }
    });
  }
  private readonly caption = (id: number): string => this.captions().get(id) ?? `property ${id}`;
  private cellWords(binding: Binding): string {
    return bindingWords(binding, this.caption);
  }
  private piecesWords(shows: unknown): string {
    return bindingWords({ shows: (shows ?? []) as Binding['shows'], leads: false }, this.caption);
  }
  private endWords(at: unknown): string {
    return at ? linkEndsWords(at as Link['at'], this.caption) : '';
  }
  private linkWords(link: Link): string {
    return `${linkEndsWords(link.at, this.caption)}; in ${link.in}, out ${link.out}, on clash ${link.onClash}`;
  }
  private order(of: 'properties' | 'checks' | 'forms', ids: readonly number[]): string {
    const { checks, forms } = this.store.draft()!.schema;
    const names: ReadonlyMap<number, string> = {
      properties: this.captions(),
      checks: new Map(checks.map((check) => [check.id, check.title])),
      forms: new Map(forms.map((form) => [form.id, form.name])),
    }[of];
    return ids.map((id) => names.get(id) ?? 'one that is gone').join(', ');
  }

  protected enact(): void {
    this.editions.enact(this.note().trim(), () => this.note.set(''));
  }
  protected readonly asking = signal(false);
  /** What discarding the draft would lose, in numbers. */
  protected readonly lossText = computed(() => {
    const changes = this.store.changes();
    const people = new Set((this.store.draft()?.edits ?? []).map((edit) => edit.by)).size;
    const definitions = new Set(this.rows(changes).map((row) => row.subject)).size;
    return `It holds ${count(changes.length, 'change')} to ${count(definitions, 'definition')}${people > 1 ? ` by ${people} people` : ''}.`;
  });
  protected ask(): void {
    this.asking.set(true);
    setTimeout(() => document.querySelector<HTMLElement>('rule-schema-editions .ask button')?.focus());
  }
  protected discard(): void {
    this.asking.set(false);
    this.store.discard();
  }
}
