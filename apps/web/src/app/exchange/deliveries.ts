import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Delivery, DeliveryDraft, TABLE_FORMATS, WatchedFolder, WatchedFolderDraft } from '@rule/contract';
import { sameDefinition } from '@rule/core/schema';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import { Count, showInstant, Unsaved } from '../shared';
import { DeliveriesStore } from './deliveries.store';
import { ExchangeStore } from './exchange.store';

const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
const two = (n: number) => String(n).padStart(2, '0');

/** Scheduled deliveries and watched folders. */
@Component({
  selector: 'rule-deliveries',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [DeliveriesStore],
  imports: [RuleOption, RuleSelect, ButtonModule, Count, FormsModule, InputTextModule, RuleCheck],
  template: `
    <div class="head">
      <div>
        <h1>Deliveries and watched folders</h1>
        <p>Tables that Rule sends to other systems on a schedule, and tables that it takes back when they arrive. Times are UTC.</p>
      </div>
      <div class="actions">
        <p-button severity="secondary" label="New delivery" [disabled]="!s.layouts().saved.length" (onClick)="begin()" />
        <p-button severity="secondary" label="Watch a folder" (onClick)="watch()" />
      </div>
    </div>
    @if (!s.layouts().saved.length) {
      <p class="note">A delivery needs a saved layout. Save one first.</p>
    }
    @if (delivery(); as d) {
      <section class="card" aria-label="Delivery">
        <h2>{{ editing() === null ? 'New delivery' : 'Change the delivery' }}</h2>
        <div class="grid">
          <label class="field"><span>Name</span><input pInputText [ngModel]="d.name" (ngModelChange)="edit({ name: $event })" /></label>
          <label class="field"
            ><span>Layout</span
            ><rule-select [ngModel]="d.layout" (ngModelChange)="edit({ layout: +$event })">
              @for (layout of s.layouts().saved; track layout.id) {
                <rule-option [value]="layout.id" label="{{ layout.name }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>As</span
            ><rule-select [ngModel]="d.format" (ngModelChange)="edit({ format: $event })">
              @for (format of formats; track format) {
                <rule-option [value]="format" label="{{ format.toUpperCase() }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>When</span
            ><rule-select [ngModel]="d.when" (ngModelChange)="edit({ when: $event })">
              <rule-option value="hourly" label="every hour" />
              <rule-option value="daily" label="every day" />
              <rule-option value="weekly" label="every week" />
              <rule-option value="release" label="when files reach a workflow state" /> </rule-select
          ></label>
          @switch (d.when) {
            @case ('release') {
              <label class="field"
                ><span>State</span
                ><rule-select placeholder="choose one" [ngModel]="d.state" (ngModelChange)="edit({ state: $event })">
                  @for (state of store.states(); track state) {
                    <rule-option [value]="state" label="{{ state }}" />
                  }</rule-select
              ></label>
            }
            @case ('hourly') {
              <label class="field"
                ><span>Minutes past the hour</span
                ><input pInputText type="number" min="0" max="59" [ngModel]="d.minute % 60" (ngModelChange)="edit({ minute: +$event })"
              /></label>
            }
            @default {
              <label class="field"
                ><span>At</span><input pInputText type="time" [ngModel]="time(d.minute)" (ngModelChange)="edit({ minute: minutes($event) })"
              /></label>
            }
          }
          @if (d.when === 'weekly') {
            <label class="field"
              ><span>On</span
              ><rule-select [ngModel]="d.weekday" (ngModelChange)="edit({ weekday: +$event })">
                @for (day of days; track day) {
                  <rule-option [value]="$index" label="{{ day }}" />
                }</rule-select
            ></label>
          }
          <label class="field"
            ><span>Folder on the server</span><input pInputText class="mono" [ngModel]="d.folder" (ngModelChange)="edit({ folder: $event })"
          /></label>
        </div>
        <label class="tick"><rule-check [checked]="d.active" (flip)="edit({ active: $event })" />active</label>
        <div class="actions top">
          <p-button label="Save" [disabled]="!d.name.trim() || !d.folder.trim() || (d.when === 'release' && !d.state)" (onClick)="save(d)" />
          <p-button severity="secondary" label="Discard" (onClick)="delivery.set(null)" />
        </div>
      </section>
    }
    @if (folder(); as f) {
      <section class="card" aria-label="Watched folder">
        <h2>{{ editing() === null ? 'Watch a folder' : 'Change the watched folder' }}</h2>
        <label class="field"
          ><span>Folder on the server</span
          ><input pInputText class="mono" [ngModel]="f.folder" (ngModelChange)="folder.set({ folder: $event, apply: f.apply, active: f.active })"
        /></label>
        <label class="tick"
          ><rule-check [checked]="f.apply" (flip)="folder.set({ folder: f.folder, apply: $event, active: f.active })" />apply clear changes immediately;
          conflicts and refused values always wait here</label
        >
        <label class="tick"><rule-check [checked]="f.active" (flip)="folder.set({ folder: f.folder, apply: f.apply, active: $event })" />active</label>
        <div class="actions top">
          <p-button label="Save" [disabled]="!f.folder.trim()" (onClick)="saveFolder(f)" />
          <p-button severity="secondary" label="Discard" (onClick)="folder.set(null)" />
        </div>
      </section>
    }
    <section class="card" aria-label="Deliveries">
      <h2>Deliveries</h2>
      @for (row of store.list(); track row.id) {
        <div class="line">
          <div>
            <b>{{ row.name }}</b>
            <p class="soft">{{ describe(row) }}</p>
            @if (row.last; as last) {
              <p [class]="last.trouble ? 'bad' : 'soft'">{{ instant(last.at) }}: {{ last.trouble ?? (last.rows | count: 'row') + ' as ' + last.file }}</p>
            }
          </div>
          <div class="actions">
            <button type="button" class="link" (click)="store.deliver(row.id)">Deliver now</button>
            <button type="button" class="link" (click)="change(row)">Change</button>
            <button type="button" class="link" (click)="store.remove(row.id)">Remove</button>
          </div>
        </div>
      } @empty {
        <p class="soft">None yet. A delivery writes a table to a folder on a schedule, or when files are released.</p>
      }
    </section>
    <section class="card" aria-label="Watched folders">
      <h2>Watched folders</h2>
      @for (row of store.folders(); track row.id) {
        <div class="line">
          <div>
            <b class="mono">{{ row.folder }}</b>
            <p class="soft">
              {{ row.active ? (row.apply ? 'What is clear is applied at once.' : 'Everything waits to be looked at.') : 'Not watched at the moment.' }}
            </p>
            @if (row.last; as last) {
              <p [class]="last.trouble ? 'bad' : 'soft'">{{ instant(last.at) }}: {{ last.trouble ?? last.file + ' was taken back.' }}</p>
            }
          </div>
          <div class="actions">
            <button type="button" class="link" (click)="changeFolder(row)">Change</button>
            <button type="button" class="link" (click)="store.removeFolder(row.id)">Watch no longer</button>
          </div>
        </div>
      } @empty {
        <p class="soft">None yet. Tables placed in a watched folder are taken back and moved to a subfolder with a report.</p>
      }
    </section>
  `,
  styles: `
    section {
      padding: 14px 16px;
      margin-bottom: 14px;
    }
    .grid {
      display: grid;
      grid-template-columns: 1fr 1fr 1fr;
      gap: 0 14px;
    }
    .line {
      display: flex;
      gap: 14px;
      padding: 8px 0;
      border-top: 1px solid var(--row);
    }
    .line > :first-child {
      flex: 1;
      min-width: 0;
    }
    .line p {
      margin: 2px 0 0;
    }
    .tick {
      display: flex;
      gap: 6px;
      align-items: center;
      margin-bottom: 4px;
    }
    .top {
      margin-top: 10px;
    }
    input[pInputText] {
      width: 100%;
    }
  `,
})
export class Deliveries {
  protected readonly s = inject(ExchangeStore);
  protected readonly store = inject(DeliveriesStore);
  protected readonly delivery = signal<DeliveryDraft | null>(null);
  protected readonly folder = signal<WatchedFolderDraft | null>(null);
  protected readonly editing = signal<number | null>(null);
  protected readonly formats = TABLE_FORMATS;
  protected readonly days = DAYS;
  protected readonly instant = showInstant;

  /** The edited item, as it was at the start. */
  private begun: DeliveryDraft | WatchedFolderDraft | null = null;

  constructor() {
    inject(Unsaved).watch(() => {
      const [delivery, folder] = [this.delivery(), this.folder()];
      if (sameDefinition(delivery ?? folder, this.begun)) return null;
      return delivery ? `the delivery ${delivery.name || 'without a name'}` : folder && `the watched folder ${folder.folder}`;
    });
    this.store.load();
    this.store.loadStates();
  }

  protected time(minute: number): string {
    return `${two(Math.floor(minute / 60))}:${two(minute % 60)}`;
  }
  protected minutes(time: string): number {
    const [hours = 0, minutes = 0] = time.split(':').map(Number);
    return hours * 60 + minutes;
  }
  protected describe(row: Delivery): string {
    const layout = this.s.layouts().saved.find((candidate) => candidate.id === row.layout)?.name ?? `layout ${row.layout}`;
    const when = {
      release: `when files reach ${row.state}`,
      hourly: `every hour at ${two(row.minute % 60)} past`,
      daily: `every day at ${this.time(row.minute)}`,
      weekly: `every ${DAYS[row.weekday]} at ${this.time(row.minute)}`,
    }[row.when];
    return `${layout} as ${row.format.toUpperCase()} to ${row.folder}, ${row.active ? when : 'not active'}${row.nextAt ? `; next ${this.instant(row.nextAt)}` : ''}.`;
  }

  protected begin(): void {
    this.folder.set(null);
    this.editing.set(null);
    this.delivery.set({
      name: '',
      layout: this.s.layouts().saved[0]!.id,
      format: 'csv',
      folder: '',
      when: 'daily',
      state: '',
      minute: 120,
      weekday: 1,
      active: true,
    });
    this.begun = this.delivery();
  }
  protected watch(): void {
    this.delivery.set(null);
    this.editing.set(null);
    this.folder.set({ folder: '', apply: false, active: true });
    this.begun = this.folder();
  }
  protected change({ id, name, layout, format, folder, when, state, minute, weekday, active }: Delivery): void {
    this.folder.set(null);
    this.editing.set(id);
    this.delivery.set({ name, layout, format, folder, when, state, minute, weekday, active });
    this.begun = this.delivery();
  }
  protected changeFolder({ id, folder, apply, active }: WatchedFolder): void {
    this.delivery.set(null);
    this.editing.set(id);
    this.folder.set({ folder, apply, active });
    this.begun = this.folder();
  }
  protected edit(change: Partial<DeliveryDraft>): void {
    this.delivery.update((draft) => draft && { ...draft, ...change });
  }
  protected save(draft: DeliveryDraft): void {
    this.store.save(this.editing(), draft, () => this.delivery.set(null));
  }
  protected saveFolder(draft: WatchedFolderDraft): void {
    this.store.saveFolder(this.editing(), draft, () => this.folder.set(null));
  }
}
