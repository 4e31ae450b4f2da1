import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { FormsModule } from '@angular/forms';
import { FileDetails, FileFilter, FileGeometry, VaultFile } from '@rule/contract';
import { KINDS, Kind, compareNames } from '@rule/core/schema';
import { convert } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { catchError, exhaustMap, interval, of, startWith, takeWhile } from 'rxjs';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import {
  Api,
  Bench,
  catalogueFeature,
  Count,
  ExactName,
  FileLink,
  jobsFeature,
  Notices,
  PendingStore,
  plainHeld,
  problemOf,
  sessionFeature,
  showCell,
  showInstant,
  standingWords,
  TrayActions,
  trayFeature,
  Way,
  lockWords,
} from '../shared';

type Holder = FileDetails['holders'][number];
type Value = Holder['values'][number];

/** How often a shape that is being measured is asked for, in milliseconds. */
const MEASURED_MS = 3000;

const PLACES: Readonly<Record<Value['place'], string>> = {
  property: 'property',
  cell: 'title block cell',
  lettering: 'lettering of a cell',
  placed: 'block on the sheet',
  block: 'block definition',
  anchor: 'anchored text',
  field: "file's own field",
  fact: 'said by the model',
};

/** Outcome of the next check-in, in short. */
const APART: Readonly<Record<'in' | 'out' | 'ask' | 'stays', string>> = {
  in: 'file → record',
  out: 'record → file',
  ask: 'both changed',
  stays: 'stays apart',
};

/** A number rounded to significant digits. */
const plain = (n: number): string => (n === 0 ? '0' : Math.abs(n) >= 1e7 || Math.abs(n) < 1e-3 ? n.toExponential(4) : String(Number(n.toPrecision(6))));

/** The page of one file: picture, values with origin and state, uses, drawings, history. */
@Component({
  selector: 'rule-file-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleOption, RuleSelect, Bench, ButtonModule, Count, DialogModule, ExactName, FileLink, FormsModule, InputTextModule, RouterLink, Way, RuleCheck],
  template: `
    <rule-bench label="File" [index]="false">
      @if (error(); as text) {
        <h1>File</h1>
        <p class="note bad" role="alert">{{ text }}</p>
      } @else if (details(); as d) {
        <div class="head">
          <div>
            <h1>{{ d.file.name }}</h1>
            <p class="path">{{ d.file.libraryName }}: {{ d.file.path }}</p>
          </div>
          <div class="actions">
            @if (!d.file.problem) {
              <a [routerLink]="['/values']" [queryParams]="{ fill: 'files:' + d.file.id }">Fill in …</a>
            }
            <span class="chip">{{ d.file.kind }}</span>
            @if (d.file.class) {
              <span class="chip brass">{{ d.file.class }}</span>
            }
            @if (pending()) {
              <span class="chip warn">{{ pending() | count: 'pending change' }}</span>
            }
          </div>
        </div>
        @if (d.file.problem) {
          <p class="note bad">{{ d.file.problem }}</p>
        }
        @if (d.file.lock) {
          <p class="note">The file {{ lockWords(d.file) }}. It cannot be written.</p>
        }
        @for (note of d.notes; track $index) {
          <p class="note">{{ note }}</p>
        }
        @for (missing of d.missingCells; track missing.block + missing.layout) {
          <p class="note">
            On the sheet {{ missing.layout }} the {{ missing.block }} lacks {{ missing.tags.join(', ') }}: its block has gained
            {{ missing.tags.length === 1 ? 'that cell' : 'those cells' }} after it was placed.
          </p>
        }
        <div class="columns">
          <div>
            @for (holder of shown(); track holder.key) {
              <section class="card" [attr.aria-label]="holderTitle(holder)">
                <h2>{{ holderTitle(holder) }}</h2>
                <table class="list">
                  <thead>
                    <tr>
                      @if (holder.key === '' && mayEdit()) {
                        <th><span class="visually-hidden">Copy</span></th>
                      }
                      <th>Name</th>
                      <th>Value</th>
                      <th>Origin</th>
                      <th>State</th>
                    </tr>
                  </thead>
                  <tbody>
                    @for (value of holder.values; track value.place + value.name) {
                      <tr class="pick" tabindex="0" [class.on]="chosen() === value" (click)="chosen.set(value)" (keydown.enter)="chosen.set(value)">
                        @if (holder.key === '' && mayEdit()) {
                          <td>
                            @if (value.place === 'property' && value.held.text) {
                              <rule-check
                                [ariaLabel]="'Choose ' + value.name + ' for copying'"
                                [checked]="copied().has(value.name)"
                                (click)="$event.stopPropagation()"
                                (flip)="tick(value.name)"
                              />
                            }
                          </td>
                        }
                        <td><rule-exact-name [name]="value.name" /></td>
                        <td class="mono">{{ show(value.held) }}</td>
                        <td class="soft">{{ places[value.place] }}</td>
                        <td>
                          @for (state of statesOf(value, holder); track state.text) {
                            <span class="chip" [class]="'chip ' + state.tone" [title]="state.why">{{ state.text }}</span>&ngsp;
                          }
                        </td>
                      </tr>
                    }
                  </tbody>
                </table>
                @if (holder.key === '' && copied().size) {
                  <p><p-button size="small" severity="secondary" [label]="'Copy ' + copied().size + ' to other files …'" (onClick)="copying.set(true)" /></p>
                }
              </section>
            } @empty {
              <p class="note">This file has no values.</p>
            }
            @if (hidden()) {
              <button type="button" class="link" (click)="all.set(true)">Show {{ hidden() }} more levels</button>
            }
            @if (d.history.length) {
              <section class="card">
                <h2>History</h2>
                <table class="list">
                  <tbody>
                    @for (set of d.history; track set.changeSet) {
                      <tr>
                        <td class="when">{{ instant(set.at) }}</td>
                        <td>
                          <a [routerLink]="['/history']" [queryParams]="{ set: set.changeSet }">{{ set.title }}</a><br /><small class="soft">{{
                            set.by
                          }}</small>
                        </td>
                        <td>
                          @for (line of set.lines.slice(0, 6); track $index) {
                            <div>
                              <rule-exact-name [name]="line.name" />: <span class="mono">{{ line.before || '—' }}</span> →
                              <span class="mono">{{ line.after || '—' }}</span>
                            </div>
                          }
                          @if (set.lines.length > 6) {
                            <small class="soft">and {{ set.lines.length - 6 }} more</small>
                          }
                        </td>
                      </tr>
                    }
                  </tbody>
                </table>
              </section>
            }
          </div>
          <div>
            @if (geometry(); as g) {
              @if (g.shapes.length || g.measured || d.file.kind === 'part' || d.file.kind === 'assembly') {
                <section class="card">
                  <h2>Geometry</h2>
                  @if (hasPicture()) {
                    <img [src]="'/api/files/' + d.file.id + '/picture?v=' + d.file.hash.slice(0, 12)" [alt]="'Picture of ' + d.file.name" />
                  }
                  @if (!g.measured) {
                    <p class="soft">Not measured yet. It is measured in the background; see Jobs for progress.</p>
                  }
                  @if (g.problem) {
                    <p class="note bad">{{ g.problem }}</p>
                  }
                  <dl class="facts">
                    @if (g.shape; as s) {
                      <dt>Volume</dt>
                      <dd>{{ figure(s.volume) }} mm³</dd>
                      <dt>Area</dt>
                      <dd>{{ figure(s.area) }} mm²</dd>
                      <dt>Box</dt>
                      <dd>
                        {{ figure(s.box.max[0] - s.box.min[0]) }} × {{ figure(s.box.max[1] - s.box.min[1]) }} × {{ figure(s.box.max[2] - s.box.min[2]) }} mm
                      </dd>
                      <dt>Centre of gravity</dt>
                      <dd>{{ place(s.centroid[0]) }}, {{ place(s.centroid[1]) }}, {{ place(s.centroid[2]) }} mm</dd>
                      @if (s.bodies.length > 1) {
                        <dt>Bodies</dt>
                        <dd>{{ s.bodies.length }}</dd>
                      }
                    }
                    @if (g.density) {
                      <dt>Density</dt>
                      <dd>{{ figure(g.density) }} kg/m³</dd>
                    }
                    @if (g.mass; as m) {
                      <dt>Mass by geometry</dt>
                      <dd>{{ mass(m.computed) }}</dd>
                      <dt>Mass as written</dt>
                      <dd [class.bad]="m.state === 'stale'">
                        {{ mass(m.written) }}
                        @if (m.state === 'stale') {
                          <span class="chip bad">stale</span>
                        }
                        @if (m.state === 'unreadable') {
                          <span class="chip bad">cannot be read as a mass</span>
                        }
                      </dd>
                    }
                    @if (g.material && g.material !== 'neither') {
                      <dt>Material in the model</dt>
                      <dd>
                        {{ g.modelMaterial ?? '—' }} <span class="chip" [class.bad]="g.material === 'differ'">{{ materialText(g) }}</span>
                      </dd>
                    }
                  </dl>
                  @if (g.missing.length) {
                    <p class="warn">
                      The mass lacks {{ g.missing.slice(0, 5).join(', ') }}{{ g.missing.length > 5 ? ' and ' + (g.missing.length - 5) + ' more' : '' }}.
                    </p>
                  }
                  @if (bodies().length > 1) {
                    <table class="list">
                      <thead>
                        <tr>
                          <th>Body</th>
                          <th class="num">Volume, mm³</th>
                          <th class="num">Area, mm²</th>
                        </tr>
                      </thead>
                      <tbody>
                        @for (body of bodies(); track $index) {
                          <tr>
                            <td>{{ $index + 1 }}</td>
                            <td class="num">{{ figure(body.volume) }}</td>
                            <td class="num">{{ figure(body.area) }}</td>
                          </tr>
                        }
                      </tbody>
                    </table>
                  }
                </section>
              }
            }
            @if (d.file.kind === 'drawing') {
              <section class="card">
                <h2>Shows</h2>
                @switch (d.model?.state) {
                  @case ('matched') {
                    <p><rule-file [id]="matched()!" [path]="d.paths[matched()!] ?? ''" /></p>
                  }
                  @case ('ambiguous') {
                    <p class="bad">Several files could be its model:</p>
                    @for (id of candidates(); track id) {
                      <p><rule-file [id]="id" [path]="d.paths[id] ?? ''" /></p>
                    }
                    <p><a routerLink="/title-blocks">Settle it in Title blocks</a></p>
                  }
                  @default {
                    <p class="bad">Its model is not in the library.</p>
                  }
                }
                @for (sheet of d.sheets; track sheet.layout) {
                  <dl class="facts">
                    <dt>Sheet</dt>
                    <dd>{{ sheet.layout }}</dd>
                    @if (sheet.scales.length) {
                      <dt>Scales</dt>
                      <dd>{{ sheet.scales.map(scaleText).join(', ') }}</dd>
                    }
                    @if (sheet.outlines.length) {
                      <dt>Closed outlines</dt>
                      <dd>{{ outlines(sheet) }}</dd>
                    }
                  </dl>
                }
              </section>
            }
            @if (record(); as r) {
              <section class="card" aria-label="Record in the vault">
                <h2>Record in the vault</h2>
                <p class="soft">{{ standing(r) }}</p>
                <table class="list">
                  <tbody>
                    @for (entry of recordValues(); track entry.field) {
                      <tr>
                        <td>{{ entry.field }}</td>
                        <td>{{ entry.value }}</td>
                        <td>
                          @if (entry.apart) {
                            <span class="chip warn">{{ entry.apart }}</span>
                          }
                        </td>
                      </tr>
                    }
                  </tbody>
                </table>
                <p><a routerLink="/vault" [queryParams]="{ file: d.file.id }">Compare file and record</a></p>
              </section>
            }
            <section class="card">
              <h2>Where it is used</h2>
              @for (use of d.usedIn; track use.file) {
                <p><rule-file [id]="use.file" [path]="use.path" /> {{ use.times }}×</p>
              } @empty {
                <p class="soft">Not used in any assembly.</p>
              }
              @if (d.file.kind !== 'drawing') {
                <h2>Drawings</h2>
                @for (drawing of d.drawings; track drawing.file) {
                  <p><rule-file [id]="drawing.file" [path]="drawing.path" /></p>
                } @empty {
                  <p class="soft">Not shown on any drawing.</p>
                }
              }
            </section>
            @if (d.sameName.length || d.sameContent.length) {
              <section class="card">
                @if (d.sameName.length) {
                  <h2>Files of the same name</h2>
                  @for (other of d.sameName; track other.file) {
                    <p><rule-file [id]="other.file" [path]="other.path" /></p>
                  }
                }
                @if (d.sameContent.length) {
                  <h2>Files with the same bytes</h2>
                  @for (other of d.sameContent; track other.file) {
                    <p><rule-file [id]="other.file" [path]="other.path" /></p>
                  }
                }
              </section>
            }
            <section class="card">
              <h2>The file itself</h2>
              <dl class="facts">
                <dt>Format</dt>
                <dd>{{ formats[d.file.format] ?? d.file.format }} {{ d.version }}</dd>
                <dt>Size</dt>
                <dd>{{ figure(d.file.size) }} bytes</dd>
                <dt>SHA-256</dt>
                <dd class="mono hash">{{ d.file.hash.slice(0, 16) }}…</dd>
              </dl>
            </section>
          </div>
        </div>
      } @else {
        <h1>File</h1>
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }
      <div bench="inspector">
        @if (chosen(); as value) {
          <h2><rule-exact-name [name]="value.name" /></h2>
          @if (propertyOf(value); as property) {
            @for (violation of violations(value); track violation) {
              <p class="note bad">{{ property.caption }} {{ violation }}.</p>
            }
            <rule-way [property]="property.id" />
          } @else if (value.place === 'property') {
            <p class="soft">
              @if (nearOf(value); as near) {
                The schema has {{ near.writtenName }}, which differs in {{ differs(value, near.writtenName) }} only.
              } @else {
                The schema does not know this name.
              }
            </p>
            <p><a [routerLink]="['/survey']" [queryParams]="{ look: 'values', name: value.name }">All values of this name</a></p>
          } @else {
            <p class="soft">{{ value.place === 'fact' ? 'Said by the model itself; it is not written by Rule.' : 'A ' + places[value.place] + '.' }}</p>
          }
        } @else {
          <p class="soft">Select a value to see whether the schema knows it and where it is used.</p>
        }
      </div>
    </rule-bench>
    <p-dialog
      closeAriaLabel="Close"
      header="Copy values to other files"
      [modal]="true"
      [visible]="copying()"
      (visibleChange)="copying.set($event)"
      [style]="{ width: '520px' }"
    >
      <form (ngSubmit)="copy()">
        <p>
          @for (name of copied(); track name) {
            <span class="chip"><rule-exact-name [name]="name" /></span>&ngsp;
          }
        </p>
        <label class="field"
          ><span>To files of the kind</span>
          <rule-select name="kind" [ngModel]="toKind()" (ngModelChange)="toKind.set($event)">
            @for (kind of kinds; track kind) {
              <rule-option [value]="kind" label="{{ kind }}" />
            }</rule-select
        ></label>
        <label class="field"
          ><span>In the folder and below it</span><input pInputText class="mono" name="folder" [ngModel]="toFolder()" (ngModelChange)="toFolder.set($event)"
        /></label>
        <label class="field"
          ><span>That hold, in their path or a value</span><input pInputText name="search" [ngModel]="toSearch()" (ngModelChange)="toSearch.set($event)"
        /></label>
        <p class="soft" role="status">{{ reached() === null ? '…' : (reached() | count: 'file') }} answer to this.</p>
        <p-button type="submit" label="Put the copies in the tray" [disabled]="!reached()" />
      </form>
    </p-dialog>
  `,
  styles: `
    .columns {
      display: grid;
      grid-template-columns: minmax(0, 1.6fr) minmax(240px, 1fr);
      gap: 14px;
      align-items: start;
    }
    .path {
      overflow-wrap: anywhere;
    }
    img {
      display: block;
      width: 100%;
      max-width: 320px;
      margin: 0 auto 8px;
    }
    section p {
      margin: 2px 0;
      overflow-wrap: anywhere;
    }
    .when {
      white-space: nowrap;
      vertical-align: top;
    }
    .list td {
      overflow-wrap: anywhere;
    }
    section h2:not(:first-child) {
      margin-top: 12px;
    }
  `,
})
export class FilePage {
  protected readonly lockWords = lockWords;
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly notices = inject(Notices);
  readonly id = input.required<string>();
  private readonly properties = this.store.selectSignal(catalogueFeature.selectAll);
  private readonly standIns = this.store.selectSignal(catalogueFeature.selectStandIns);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  private readonly ended = this.store.selectSignal(jobsFeature.selectEndedCount);
  private readonly waiting = inject(PendingStore);
  protected readonly details = signal<FileDetails | null>(null);
  protected readonly geometry = signal<FileGeometry | null>(null);
  protected readonly error = signal<string | null>(null);
  /** The file's record, as last fetched. */
  protected readonly record = signal<VaultFile | null>(null);
  protected readonly standing = standingWords;
  /** Record values, with the outcome of the next check-in where they differ. */
  protected readonly recordValues = computed(() => {
    const r = this.record();
    if (!r) return [];
    const apart = new Map(r.values.flatMap((v) => (v.decision.action === 'equal' ? [] : [[v.link.field, APART[v.decision.action]] as const])));
    const fields = [...new Set([...Object.keys(r.record), ...apart.keys()])].sort((a, b) => a.localeCompare(b));
    return fields.map((field) => ({ field, value: r.record[field] ?? '—', apart: apart.get(field) ?? null }));
  });
  protected readonly chosen = signal<Value | null>(null);
  protected readonly all = signal(false);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  /** Names selected for copying, and the targets. */
  protected readonly copied = signal<ReadonlySet<string>>(new Set());
  protected readonly copying = signal(false);
  protected readonly toKind = signal<Kind>('part');
  protected readonly toFolder = signal('');
  protected readonly toSearch = signal('');
  protected readonly reached = signal<number | null>(null);
  protected readonly kinds = KINDS;
  protected readonly places = PLACES;
  protected readonly show = plainHeld;
  protected readonly instant = showInstant;
  protected readonly figure = plain;
  protected readonly formats: Readonly<Record<string, string>> = { step: 'STEP', dxf: 'DXF', opc: 'Open Packaging document', other: 'other' };

  constructor() {
    effect((cleanup) => {
      const id = Number(this.id());
      this.applied();
      this.ended();
      untracked(() => {
        if (this.details()?.file.id !== id) {
          this.details.set(null);
          this.geometry.set(null);
          this.all.set(false);
        }
        this.chosen.set(null);
        this.copied.set(new Set());
        this.error.set(null);
      });
      const file = this.api.file(id).subscribe({
        next: (details) => {
          this.details.set(details);
          this.waiting.see([details.file.id]);
          if (details.file.inVault) this.api.record(id).subscribe({ next: (record) => this.record.set(record), error: () => this.record.set(null) });
          else this.record.set(null);
        },
        error: (failure: unknown) => this.error.set(problemOf(failure).detail),
      });
      // Asked again while the shape is being measured.
      const shape = untracked(() =>
        interval(MEASURED_MS)
          .pipe(
            startWith(0),
            exhaustMap(() => this.api.geometry(id).pipe(catchError(() => of(null)))),
            takeWhile((geometry) => !geometry?.measured && (this.details()?.file.format ?? 'step') === 'step', true),
          )
          .subscribe((geometry) => geometry && this.geometry.set(geometry)),
      );
      cleanup(() => {
        file.unsubscribe();
        shape.unsubscribe();
      });
    });
    effect((cleanup) => {
      const target = this.target();
      if (!this.copying()) return;
      const timer = setTimeout(
        () => this.api.count(target).subscribe({ next: ({ files }) => this.reached.set(files), error: () => this.reached.set(null) }),
        250,
      );
      cleanup(() => clearTimeout(timer));
    });
  }

  private readonly target = computed<FileFilter>(() => ({
    kind: this.toKind(),
    ...(this.toFolder().trim() ? { folder: this.toFolder().trim() } : {}),
    ...(this.toSearch().trim() ? { search: this.toSearch().trim() } : {}),
  }));
  private readonly filled = computed(() => (this.details()?.holders ?? []).filter((holder) => holder.values.length > 0));
  /** Long occurrence lists are shortened until expanded. */
  protected readonly shown = computed(() => (this.all() ? this.filled() : this.filled().slice(0, 12)));
  protected readonly hidden = computed(() => this.filled().length - this.shown().length);
  protected readonly pending = computed(() => this.waiting.lines().filter((line) => line.file === this.details()?.file.id).length);
  protected readonly matched = computed(() => {
    const model = this.details()?.model;
    return model?.state === 'matched' ? model.file : null;
  });
  protected readonly candidates = computed(() => {
    const model = this.details()?.model;
    return model?.state === 'ambiguous' ? model.candidates : [];
  });
  protected readonly hasPicture = computed(() => this.geometry()?.shapes.some((shape) => shape.picture) ?? false);
  protected readonly bodies = computed(() => (this.details()?.file.kind === 'part' ? (this.geometry()?.shape?.bodies ?? []) : []));

  protected tick(name: string): void {
    const next = new Set(this.copied());
    if (!next.delete(name)) next.add(name);
    this.copied.set(next);
  }
  protected copy(): void {
    this.api.copyValues({ from: this.details()!.file.id, names: [...this.copied()], to: this.target(), files: [] }).subscribe({
      next: ({ lines, skipped }) => {
        this.copying.set(false);
        this.store.dispatch(TrayActions.load());
        this.notices.done(`${count(lines, 'value')} added to the tray.${skipped ? ` ${skipped} locked or open files were skipped.` : ''}`);
      },
      error: this.notices.failed,
    });
  }

  protected holderTitle({ level, label }: Holder): string {
    return level === 'document' ? 'The document' : level === 'copy' ? `Copy of ${label}` : `${level[0]!.toUpperCase()}${level.slice(1)} ${label}`;
  }
  protected propertyOf(value: Value) {
    return value.place === 'property' ? this.properties().find((property) => property.writtenName === value.name) : undefined;
  }
  protected nearOf(value: Value) {
    return this.properties().find((property) => compareNames(property.writtenName, value.name) !== 'different');
  }
  protected differs(value: Value, writtenName: string): string {
    return compareNames(value.name, writtenName);
  }
  protected violations(value: Value): string[] {
    const property = this.propertyOf(value);
    return property ? showCell(value.held, property, this.standIns()).violations.map((violation) => violation.message) : [];
  }
  protected statesOf(value: Value, holder: Holder): { text: string; tone: string; why: string }[] {
    const states: { text: string; tone: string; why: string }[] = [];
    if (value.standIn) states.push({ text: 'stand-in', tone: 'warn', why: 'Stand-in: counts as blank.' });
    if (value.place === 'property') {
      const property = this.propertyOf(value);
      if (!property)
        states.push({ text: this.nearOf(value) ? 'nearly a property' : 'stray', tone: 'warn', why: 'The schema does not know this written name.' });
      else if (property.retired) states.push({ text: 'retired', tone: '', why: 'The schema has retired this property.' });
      else states.push(...this.violations(value).map((why) => ({ text: 'against the schema', tone: 'bad', why })));
    }
    if (value.held.text === '') states.push({ text: 'empty', tone: '', why: 'The name exists, but has no value.' });
    const line = this.waiting.lines().find((entry) => entry.file === this.details()?.file.id && entry.holder === holder.key && entry.name === value.name);
    if (line) states.push({ text: `becomes ${plainHeld(line.proposed)}`, tone: 'brass', why: 'Pending in the tray.' });
    return states;
  }

  /** Coordinates to 0.0001 mm. */
  protected place(millimetres: number): string {
    return plain(Number(millimetres.toFixed(4)));
  }

  protected mass(kilograms: number | null): string {
    if (kilograms === null) return '—';
    const unit = this.geometry()?.unit ?? 'kg';
    return unit === 'kg' ? `${plain(kilograms)} kg` : `${plain(convert(kilograms, 'kg', unit))} ${unit} (${plain(kilograms)} kg)`;
  }
  protected materialText({ material }: FileGeometry): string {
    return material === 'agree' ? 'as the property says' : material === 'differ' ? 'the property says another one' : (material ?? '');
  }
  /** Areas by layer, as sheets may have thousands of outlines. */
  protected outlines({ outlines }: FileDetails['sheets'][number]): string {
    const byLayer = new Map<string, number>();
    for (const { layer, area } of outlines) byLayer.set(layer, (byLayer.get(layer) ?? 0) + area);
    return [...byLayer].map(([layer, area]) => `${plain(area)} square units on ${layer}`).join(', ');
  }
  protected scaleText(scale: number): string {
    return scale >= 1 ? `${plain(scale)}:1` : `1:${plain(1 / scale)}`;
  }
}
