import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { CONVERSION_NAMES, Clause, FileFilter, ForeignPreview, ForeignRequest, ForeignRow } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { CASES, CaseStyle, Conversion } from '@rule/core/survey';
import { UNITS } from '@rule/core/values';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleColumn, RuleDetail, RuleOption, RuleSelect, RuleTable, RuleTip } from '../kit';
import { Count, ExactName, FileLink, sessionFeature } from '../shared';
import { ForeignPreviewStore } from './answers.store';
import { Clauses } from '../clauses';
import { ForeignDraft } from './foreign-draft';
import { ForeignStore } from './foreign.store';

/** The identity conversion. */
export function plainConversion(kind: Conversion['do'], unit: string | null): Conversion {
  switch (kind) {
    case 'as it is':
    case 'date':
      return { do: kind };
    case 'from unit':
      return { do: kind, unit: unit ?? 'mm' };
    case 'case':
      return { do: kind, style: 'upper' };
    case 'words':
      return { do: kind, pairs: [], others: 'keep' };
    case 'before':
    case 'after':
      return { do: kind, separator: ' ' };
  }
}

/** Word pairs, one per line. */
export const pairsOf = (text: string): { theirs: string; ours: string }[] =>
  text.split('\n').flatMap((line) => {
    const at = line.indexOf('=');
    return at < 0 ? [] : [{ theirs: line.slice(0, at).trim(), ours: line.slice(at + 1).trim() }];
  });

/** Mappings of foreign names, with a preview. */
@Component({
  selector: 'rule-foreign',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [ForeignStore, ForeignPreviewStore],
  imports: [
    RuleTip,
    RuleDetail,
    RuleColumn,
    RuleTable,
    RuleOption,
    RuleSelect,
    ButtonModule,
    Clauses,
    Count,
    ExactName,
    FileLink,
    FormsModule,
    InputTextModule,
    RuleCheck,
  ],
  template: `
    <div class="bar">
      <label
        >Mapping
        <rule-select name="mapping" [ngModel]="id() ?? ''" (ngModelChange)="choose($event)">
          <rule-option value="" label="new mapping" />
          @for (mapping of store.mappings(); track mapping.id) {
            <rule-option [value]="mapping.id" label="{{ mapping.name }}" />
          }</rule-select
      ></label>
      @if (mayEdit()) {
        <label>kept as <input pInputText name="name" [ngModel]="name()" (ngModelChange)="name.set($event)" /></label>
        <p-button size="small" severity="secondary" label="Keep" [disabled]="!name().trim() || !rows().length" (onClick)="save()" />
        @if (id() !== null) {
          <button type="button" class="link" (click)="remove()">Remove</button>
        }
      }
    </div>
    @if (found.error() ?? store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    <section class="card">
      <rule-table
        class="above"
        label="Mapping"
        [rows]="rows()"
        empty="Each row maps a foreign name to one of your properties. Suggestions are listed under Learned mappings."
      >
        <ng-container *ruleColumn="let row of rows(); let i = index; name: 'Their name'">
          <input
            pInputText
            class="mono"
            list="rule-foreign-names"
            [attr.aria-label]="'Their name ' + (i + 1)"
            [ngModel]="row.from"
            (change)="edit(i, { from: $any($event.target).value })"
          />
        </ng-container>
        <ng-container *ruleColumn="let row of rows(); let i = index; name: 'Our property'">
          <rule-select [ariaLabel]="'Our property ' + (i + 1)" [ngModel]="row.to" (ngModelChange)="edit(i, { to: +$event })">
            @for (property of targets(); track property.id) {
              <rule-option [value]="property.id" label="{{ property.caption }}" />
            }
          </rule-select>
        </ng-container>
        <ng-container *ruleColumn="let row of rows(); let i = index; name: 'Conversion'">
          <rule-select [ariaLabel]="'Conversion ' + (i + 1)" [ngModel]="row.convert.do" (ngModelChange)="convertBy(i, $event)">
            @for (kind of conversions; track kind) {
              <rule-option [value]="kind" label="{{ kind }}" />
            }
          </rule-select>
          @switch (row.convert.do) {
            @case ('from unit') {
              <rule-select [ariaLabel]="'Unit of ' + row.from" [ngModel]="row.convert.unit" (ngModelChange)="convert(i, { unit: $event })">
                @for (unit of units; track unit.code) {
                  <rule-option [value]="unit.code" label="{{ unit.code }}" />
                }
              </rule-select>
            }
            @case ('case') {
              <rule-select [ariaLabel]="'Case of ' + row.from" [ngModel]="row.convert.style" (ngModelChange)="convert(i, { style: $event })">
                @for (style of cases; track style) {
                  <rule-option [value]="style" label="{{ style }}" />
                }
              </rule-select>
            }
            @case ('words') {
              <textarea
                rows="3"
                [attr.aria-label]="'Words of ' + row.from + ', theirs = ours, one pair a line'"
                placeholder="theirs = ours"
                [ngModel]="wordsOf(row)"
                (change)="convert(i, { pairs: pairs($any($event.target).value) })"
              ></textarea>
              <label
                ><rule-check [checked]="row.convert.others === 'refuse'" (flip)="convert(i, { others: row.convert.others === 'refuse' ? 'keep' : 'refuse' })" />
                refuse others</label
              >
            }
            @case ('before') {
              <input
                class="short"
                pInputText
                [attr.aria-label]="'Separator of ' + row.from"
                [ngModel]="row.convert.separator"
                (change)="convert(i, { separator: $any($event.target).value || ' ' })"
              />
            }
            @case ('after') {
              <input
                class="short"
                pInputText
                [attr.aria-label]="'Separator of ' + row.from"
                [ngModel]="row.convert.separator"
                (change)="convert(i, { separator: $any($event.target).value || ' ' })"
              />
            }
          }
        </ng-container>
        <ng-container *ruleColumn="let row of rows(); let i = index; name: 'Only where'">
          <button type="button" class="link" [attr.aria-expanded]="where() === i" (click)="where.set(where() === i ? null : i)">
            {{ row.where.length ? row.where.length + ' conditions' : 'always' }}
          </button>
        </ng-container>
        <ng-container *ruleColumn="let row of rows(); let i = index; name: 'What comes of it'">
          @if (counts(i); as c) {
            {{ c.values | count: 'value' }}: <b class="good">{{ c.arrive }} arrive</b>{{ c.same ? ', ' + c.same + ' are there' : ''
            }}{{ c.kept ? ', ' + c.kept + ' stay ours' : '' }}{{ c.blank ? ', ' + c.blank + ' blank' : '' }}
            @if (c.refused) {
              , <span class="bad">{{ c.refused }} refused</span>
            }
          }
        </ng-container>
        <ng-container *ruleColumn="let row of rows(); let i = index; said: 'Actions'">
          <button type="button" class="link" [attr.aria-label]="'Remove row ' + (i + 1)" (click)="drop(i)">Remove</button>
        </ng-container>
        <ng-container *ruleDetail="let row of rows(); let i = index; open: isOpen">
          <rule-clauses [clauses]="row.where" [names]="names()" (changed)="edit(i, { where: clauses($event) })" />
        </ng-container>
      </rule-table>
      <datalist id="rule-foreign-names">
        @for (name of strays(); track name) {
          <option [value]="name"></option>
        }
      </datalist>
      <button type="button" class="link" (click)="add('')">Add a row</button>
    </section>
    @if (found.answer(); as p) {
      <section class="card" aria-label="What would arrive">
        <div class="bar">
          <label
            >Where ours holds another value
            <rule-select name="clash" [ngModel]="clash()" (ngModelChange)="clash.set($event)">
              <rule-option value="keep ours" label="keep ours" />
              <rule-option value="take theirs" label="take theirs" /> </rule-select
          ></label>
          <label><rule-check [checked]="keep()" (flip)="keep.set($event)" /> leave their names in the files</label>
        </div>
        <p class="note" role="status">
          <b>{{ arriving() | count: 'value' }}</b> would arrive in {{ p.files | count: 'file' }}. {{ refusedCount() }} would be refused,
          {{ p.unmapped.length | count: 'name stays' : 'names stay' }} unmapped.
          @if (p.skipped.length) {
            {{ p.skipped.length | count: 'file is' : 'files are' }} skipped.
          }
        </p>
        @if (mayEdit()) {
          <p-button
            [label]="'Put ' + (p.lines | count: 'line') + ' in the tray'"
            [disabled]="!p.lines || store.busy()"
            [loading]="store.busy()"
            (onClick)="put()"
          />
        }
        @if (p.sample.length) {
          <h2>What would arrive{{ arriving() > p.sample.length ? ' (the first ' + p.sample.length + ')' : '' }}</h2>
          <rule-table label="Values that would arrive" [rows]="p.sample">
            <ng-container *ruleColumn="let line of p.sample">
              <rule-file [id]="line.file" [path]="line.path" />
            </ng-container>
            <ng-container *ruleColumn="let line of p.sample">
              <rule-exact-name [name]="line.from" />
            </ng-container>
            <ng-container *ruleColumn="let line of p.sample; look: 'mono'">{{ line.theirs }}</ng-container>
            <ng-container *ruleColumn="let line of p.sample">{{ caption(line.to) }}</ng-container>
            <ng-container *ruleColumn="let line of p.sample; look: 'mono'">
              {{ line.before ?? '—' }} → <b>{{ line.after }}</b>
            </ng-container>
          </rule-table>
        }
        @if (p.refused.length || p.skipped.length) {
          <h2>Refused or skipped</h2>
          <rule-table label="Values that are refused" [rows]="left()">
            <ng-container *ruleColumn="let entry of left()"><rule-file [id]="entry.file" [path]="entry.path" /></ng-container>
            <ng-container *ruleColumn="let entry of left()"><rule-exact-name [name]="entry.from" /></ng-container>
            <ng-container *ruleColumn="let entry of left(); look: 'mono'">{{ entry.theirs }}</ng-container>
            <ng-container *ruleColumn="let entry of left()">
              <span [class.bad]="entry.from">{{ entry.message }}</span>
            </ng-container>
          </rule-table>
        }
        @if (p.unmapped.length) {
          <h2>Unmapped names</h2>
          <p class="names">
            @for (entry of p.unmapped.slice(0, 60); track entry.name) {
              <button type="button" class="chip plain" [ruleTip]="'Map ' + entry.name" (click)="add(entry.name)">
                <rule-exact-name [name]="entry.name" /> {{ entry.filled }}</button
              >&ngsp;
            }
            @if (p.unmapped.length > 60) {
              <span class="soft">and {{ p.unmapped.length - 60 }} more</span>
            }
          </p>
        }
      </section>
    }
  `,
  styles: `
    .bar {
      display: flex;
      flex-wrap: wrap;
      gap: 14px;
      align-items: center;
      margin-bottom: 12px;
    }
    rule-table input[pInputText] {
      width: 130px;
    }
    rule-table input.short {
      width: 52px;
    }
    section h2 {
      margin: 12px 0 4px;
    }
    button.chip {
      padding: 1px 8px;
      margin-bottom: 4px;
    }
  `,
})
export class ForeignNames {
  protected readonly store = inject(ForeignStore);
  protected readonly found = inject(ForeignPreviewStore);
  readonly properties = input.required<readonly Property[]>();
  readonly strays = input.required<readonly string[]>();
  readonly names = input.required<readonly string[]>();
  readonly filter = input.required<FileFilter>();
  readonly turn = input(0);
  /** An initial row suggested elsewhere. */
  readonly suggested = input<{ readonly name: string; readonly property: number } | null>(null);

  protected readonly mayEdit = inject(Store).selectSignal(sessionFeature.selectMayEdit);
  protected readonly conversions = CONVERSION_NAMES;
  protected readonly cases: readonly CaseStyle[] = CASES;
  protected readonly units = UNITS;
  protected readonly pairs = pairsOf;
  protected readonly clauses = (list: readonly Clause[]) => [...list];
  private readonly draft = inject(ForeignDraft);
  protected readonly id = this.draft.id;
  protected readonly name = this.draft.name;
  protected readonly rows = this.draft.rows;
  protected readonly clash = this.draft.clash;
  protected readonly keep = this.draft.keep;
  protected readonly where = signal<number | null>(null);
  protected readonly isOpen = (_: ForeignRow, at: number): boolean => this.where() === at;
  /** Values that are refused, then files that are left out as a whole. */
  protected readonly left = computed(() => {
    const preview = this.found.answer();
    return preview ? [...preview.refused, ...preview.skipped.map((entry) => ({ ...entry, from: '', theirs: '' }))] : [];
  });
  protected readonly targets = computed(() => this.properties().filter((property) => property.feed === 'typed' && !property.retired));
  protected readonly arriving = computed(() => (this.found.answer()?.rows ?? []).reduce((sum, row) => sum + row.arrive, 0));
  protected readonly refusedCount = computed(() => (this.found.answer()?.rows ?? []).reduce((sum, row) => sum + row.refused, 0));

  private readonly request = computed<ForeignRequest | null>(() => {
    const rows = this.rows().filter((row) => row.from !== '' && row.to > 0);
    return rows.length ? { rows, filter: this.filter(), clash: this.clash(), keep: this.keep() } : null;
  });

  constructor() {
    this.store.load();
    effect(() => {
      const suggested = this.suggested();
      const known = untracked(() => this.rows().some((row) => row.from === suggested?.name && row.to === suggested.property));
      if (suggested && !known) untracked(() => this.add(suggested.name, suggested.property));
    });
    effect(() => {
      const request = this.request();
      this.turn();
      untracked(() => {
        this.store.forgetError();
        this.found.ask(request);
      });
    });
  }

  protected choose(id: string): void {
    const mapping = this.store.mappings().find((candidate) => candidate.id === Number(id));
    this.id.set(mapping?.id ?? null);
    this.name.set(mapping?.name ?? '');
    this.rows.set(mapping?.rows ?? []);
    this.where.set(null);
  }

  protected caption(property: number): string {
    return this.properties().find((candidate) => candidate.id === property)?.caption ?? '';
  }
  /** Counts of a row; incomplete rows are skipped. */
  protected counts(at: number): ForeignPreview['rows'][number] | undefined {
    const row = this.rows()[at];
    if (!row || row.from === '') return undefined;
    const before = this.rows()
      .slice(0, at)
      .filter((other) => other.from !== '' && other.to > 0).length;
    const found = this.found.answer()?.rows[before];
    return found?.from === row.from && found.to === row.to ? found : undefined;
  }
  protected wordsOf(row: ForeignRow): string {
    return row.convert.do === 'words' ? row.convert.pairs.map(({ theirs, ours }) => `${theirs} = ${ours}`).join('\n') : '';
  }
  protected edit(at: number, change: Partial<ForeignRow>): void {
    this.rows.update((rows) => rows.map((row, i) => (i === at ? { ...row, ...change } : row)));
  }
  protected convertBy(at: number, kind: Conversion['do']): void {
    const property = this.properties().find((candidate) => candidate.id === this.rows()[at]!.to);
    this.edit(at, { convert: plainConversion(kind, property?.unit ?? null) });
  }
  protected convert(at: number, change: Partial<Record<string, unknown>>): void {
    this.edit(at, { convert: { ...this.rows()[at]!.convert, ...change } });
  }
  protected drop(at: number): void {
    this.where.set(null);
    this.rows.update((rows) => rows.filter((_, i) => i !== at));
  }
  protected add(from: string, to = this.targets()[0]?.id ?? 0): void {
    this.rows.update((rows) => [...rows, { from, to, convert: { do: 'as it is' }, where: [] }]);
  }

  protected save(): void {
    this.store.save(this.id(), { name: this.name().trim(), rows: this.rows() }, ({ id }) => this.id.set(id));
  }
  protected remove(): void {
    this.store.remove(this.id()!, () => this.choose(''));
  }
  protected put(): void {
    const request = this.request();
    if (request) this.store.put(request);
  }
}
