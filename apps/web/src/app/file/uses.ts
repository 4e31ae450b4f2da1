import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { FileDetails, VaultFile } from '@rule/contract';
import { RuleColumn, RuleTable } from '../kit';
import { FileLink, standingWords } from '../shared';
import { plain } from './plain';

/** Outcome of the next check-in, in short. */
const APART: Readonly<Record<'in' | 'out' | 'ask' | 'stays', string>> = {
  in: 'file → record',
  out: 'record → file',
  ask: 'both changed',
  stays: 'stays apart',
};

/** What a file shows and is shown by, its record, and files like it. */
@Component({
  selector: 'rule-file-uses',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, FileLink, RouterLink],
  template: `
    @let d = details();
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
        <rule-table label="Values of the record" [rows]="recordValues()" key="field">
          <ng-container *ruleColumn="let entry of recordValues()">{{ entry.field }}</ng-container>
          <ng-container *ruleColumn="let entry of recordValues()">{{ entry.value }}</ng-container>
          <ng-container *ruleColumn="let entry of recordValues()">
            @if (entry.apart) {
              <span class="chip warn">{{ entry.apart }}</span>
            }
          </ng-container>
        </rule-table>
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
  `,
  styles: `
    section p {
      margin: 2px 0;
      overflow-wrap: anywhere;
    }
    rule-table {
      overflow-wrap: anywhere;
    }
    section h2:not(:first-child) {
      margin-top: 12px;
    }
  `,
})
export class FileUses {
  readonly details = input.required<FileDetails>();
  readonly record = input.required<VaultFile | null>();
  protected readonly standing = standingWords;
  /** Record values, with the outcome of the next check-in where they differ. */
  protected readonly recordValues = computed(() => {
    const r = this.record();
    if (!r) return [];
    const apart = new Map(r.values.flatMap((v) => (v.decision.action === 'equal' ? [] : [[v.link.field, APART[v.decision.action]] as const])));
    const fields = [...new Set([...Object.keys(r.record), ...apart.keys()])].sort((a, b) => a.localeCompare(b));
    return fields.map((field) => ({ field, value: r.record[field] ?? '—', apart: apart.get(field) ?? null }));
  });
  protected readonly matched = computed(() => {
    const { model } = this.details();
    return model?.state === 'matched' ? model.file : null;
  });
  protected readonly candidates = computed(() => {
    const { model } = this.details();
    return model?.state === 'ambiguous' ? model.candidates : [];
  });

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
