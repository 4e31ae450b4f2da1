import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, input, model } from '@angular/core';
import { FillFile } from '@rule/core/forms';
import { RuleCheck, RuleTip } from '../../kit';
import { FileLink, lockWords } from '../../shared';

/** The files that are filled in; classes and single files can be left out. */
@Component({
  selector: 'rule-fill-files',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, FileLink, RuleCheck, ScrollingModule],
  template: `
    <nav class="files" aria-label="Files that are filled in">
      @if (classes().length > 1) {
        <div class="classes" role="group" aria-label="Classes that are filled in">
          @for (entry of classes(); track entry.name) {
            <label><rule-check [checked]="entry.on" (flip)="leaveClass(entry.name, entry.on)" /> {{ entry.name || 'no class' }} ({{ entry.files }})</label>
          }
        </div>
      }
      <cdk-virtual-scroll-viewport [itemSize]="28" class="list">
        <div class="file" *cdkVirtualFor="let file of listed()" [class.off]="left().has(file.id)">
          <rule-check [ariaLabel]="'fill in ' + file.path" [checked]="!left().has(file.id)" (flip)="leave(file.id)" />
          <rule-file [id]="file.id" [path]="file.path" [text]="file.name" />
          @if (file.lock) {
            <span class="mark warn" [ruleTip]="'The file ' + lockWords(file)">locked</span>
          } @else if (changed().has(file.id)) {
            <span class="mark good">{{ changed().get(file.id) }}</span>
          }
        </div>
      </cdk-virtual-scroll-viewport>
    </nav>
  `,
  styles: `
    :host {
      display: contents;
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
  `,
})
export class FillFiles {
  readonly files = input.required<readonly FillFile[]>();
  /** How many values of each file would change. */
  readonly changed = input.required<ReadonlyMap<number, number>>();
  /** Files left out. */
  readonly left = model.required<ReadonlySet<number>>();
  protected readonly lockWords = lockWords;
  protected readonly listed = computed(() => [...this.files()]);
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
    const next = new Set(this.left());
    for (const file of this.files())
      if ((file.className ?? '') === name) {
        if (out) next.add(file.id);
        else next.delete(file.id);
      }
    this.left.set(next);
  }

  protected leave(id: number): void {
    const next = new Set(this.left());
    if (!next.delete(id)) next.add(id);
    this.left.set(next);
  }
}
