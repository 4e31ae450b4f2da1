import { ChangeDetectionStrategy, Component, computed, inject, input, model, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BomLayoutDraft } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ConfirmationService } from 'primeng/api';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleSelect, RuleTakeFile } from '../kit';
import { Notices, catalogueFeature, saveBlob, sessionFeature } from '../shared';
import { BomStore } from './bom.store';
import { BomLayoutForm } from './layout-form';
import { layoutFile, readLayoutFile } from './layout-file';

/** The open strip above the list. */
export type Strip = 'layout' | 'save as' | 'keep' | 'compare' | null;

/** What is set up above a list: its layout, names, kept lists, comparisons. */
@Component({
  selector: 'rule-bom-strips',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTakeFile, BomLayoutForm, ButtonModule, FormsModule, InputTextModule, RuleCheck, RuleSelect],
  template: `
    @switch (strip()) {
      @case ('layout') {
        <rule-bom-layout-form [content]="store.content()" [properties]="properties()" [classes]="store.classes()" (changed)="store.change($event)" />
        <div class="actions strip">
          @if (mayNumber()) {
            <button type="button" class="link" (click)="store.renumber(false)">Renumber in this order</button>
          }
          <button type="button" class="link" (click)="strip.set('save as')">Duplicate layout</button>
          @if (mayChange()) {
            <button type="button" class="link" (click)="renameLayout()">Rename or share</button>
            <button type="button" class="link" (click)="removeLayout()">Remove layout</button>
            <button type="button" class="link" (click)="exportLayout()">Export layout</button>
          }
          <rule-take-file quiet label="Import layout" accept=".json,application/json" (taken)="importLayout($event[0]!)" />
        </div>
      }
      @case ('save as') {
        <form class="strip field-row" (submit)="saveAs(); $event.preventDefault()">
          <label class="field"><span>Name</span><input pInputText name="name" [(ngModel)]="name" /></label>
          <label class="field wide"><span>Purpose</span><input pInputText name="purpose" [(ngModel)]="purpose" /></label>
          @if (mayAdminister()) {
            <div class="tick">
              <label><rule-check [checked]="shared" (flip)="shared = $event" /> shared with everybody</label>
            </div>
          }
          <p-button type="submit" [label]="renaming ? 'Save' : 'Save as new layout'" [disabled]="!name.trim()" />
          <p-button [text]="true" label="Cancel" (onClick)="strip.set(null)" />
        </form>
      }
      @case ('keep') {
        <form class="strip field-row" (submit)="keep(); $event.preventDefault()">
          <label class="field wide"><span>Title</span><input pInputText name="title" [(ngModel)]="name" placeholder="Released with order 4711" /></label>
          <p-button type="submit" label="Keep this list" [disabled]="!name.trim()" />
          <p-button [text]="true" label="Cancel" (onClick)="strip.set(null)" />
        </form>
      }
      @case ('compare') {
        <div class="strip field-row">
          <div class="field wide">
            <span id="bom-compare">Compare with</span>
            <rule-select
              labelledBy="bom-compare"
              [options]="sides()"
              optionLabel="label"
              optionValue="value"
              placeholder="A kept list or another assembly"
              [ngModel]="null"
              (ngModelChange)="store.compare($event); strip.set(null)"
            />
          </div>
          <p-button [text]="true" label="Cancel" (onClick)="strip.set(null)" />
        </div>
      }
    }
  `,
  styles: `
    .strip {
      margin-bottom: 12px;
    }
    .field-row {
      display: flex;
      gap: 12px;
      align-items: end;
    }
    .field-row .field {
      margin: 0;
    }
    .field-row .wide {
      flex: 1;
      max-width: 520px;
    }
    .field-row rule-select {
      width: 100%;
    }
    .tick {
      display: inline-flex;
      gap: 6px;
      align-items: center;
      height: 32px;
    }
  `,
})
export class BomStrips {
  protected readonly store = inject(BomStore);
  private readonly notices = inject(Notices);
  private readonly confirm = inject(ConfirmationService);
  private readonly global = inject(Store);
  readonly strip = model.required<Strip>();
  /** Whether this person may change the shown layout. */
  readonly mayChange = input.required<boolean>();
  readonly mayNumber = input.required<boolean>();
  /** Query parameters to go to. */
  readonly go = output<Record<string, string | number | null>>();
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly properties = this.global.selectSignal(catalogueFeature.selectActive);
  protected name = '';
  protected purpose = '';
  protected shared = false;
  /** Whether the name strip concerns the displayed layout. */
  protected renaming = false;
  protected readonly sides = computed(() => [
    ...this.store.kept().map((row) => ({ label: `${row.title} (kept ${row.at.slice(0, 10)})`, value: { kept: row.id } })),
    ...(this.store.assemblies() ?? []).filter((row) => row.id !== this.store.assembly()).map((row) => ({ label: row.path, value: { assembly: row.id } })),
  ]);

  /** Opens a strip with empty fields, or closes it. */
  toggle(strip: Exclude<Strip, null>): void {
    this.name = '';
    this.renaming = false;
    this.strip.set(this.strip() === strip ? null : strip);
  }
  protected renameLayout(): void {
    const { name, purpose, shared } = this.store.layout()!;
    [this.name, this.purpose, this.shared, this.renaming] = [name, purpose, shared, true];
    this.strip.set('save as');
  }
  protected saveAs(): void {
    const draft: BomLayoutDraft = { name: this.name.trim(), purpose: this.purpose.trim(), shared: this.shared, content: this.store.content() };
    if (!draft.name) return;
    if (this.renaming) this.store.save(draft, () => this.strip.set(null));
    else
      this.store.saveAs(draft, (id) => {
        this.strip.set(null);
        this.go.emit({ layout: id });
      });
  }
  protected removeLayout(): void {
    const { id, name } = this.store.layout()!;
    this.confirm.confirm({
      header: `Remove layout ${name}?`,
      message: 'The item numbers kept with it are removed too.',
      acceptLabel: 'Remove layout',
      rejectLabel: 'Keep it',
      accept: () => this.store.removeLayout(id, () => this.go.emit({ layout: null })),
    });
  }
  protected exportLayout(): void {
    const layout = { ...this.store.layout()!, content: this.store.content() };
    saveBlob({ name: `BOM layout ${layout.name}.json`, blob: new Blob([layoutFile(layout, this.properties())], { type: 'application/json' }) });
  }
  protected async importLayout(file: File): Promise<void> {
    try {
      const { name, purpose, content, lost } = readLayoutFile(await file.text(), this.properties());
      this.store.change(content);
      [this.name, this.purpose, this.shared, this.renaming] = [name, purpose, false, false];
      this.strip.set('save as');
      if (lost.length) this.notices.error(`Left out, because they are not in the schema: ${lost.join(', ')}.`);
    } catch {
      this.notices.error(`${file.name} is not an exported BOM layout.`);
    }
  }
  protected keep(): void {
    const title = this.name.trim();
    if (title) this.store.keep(title, () => this.strip.set(null));
  }
}
