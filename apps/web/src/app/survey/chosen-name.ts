import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { compareNames } from '@rule/core/schema';
import { CleanUp } from '@rule/core/survey';
import { ButtonModule } from 'primeng/button';
import { Count, ExactName, Way } from '../shared';
import { NameRow } from './survey.store';

/** How a name is used, and what can be done to it. */
@Component({
  selector: 'rule-chosen-name',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, Count, ExactName, RouterLink, Way],
  template: `
    @if (row(); as row) {
      <h2><rule-exact-name [name]="row.name" /></h2>
      @for (part of row.parts; track part.kind + part.level) {
        <p class="soft">
          {{ part.level === 'document' ? 'Document property' : 'Value at the level ' + part.level }} of {{ part.files | count: part.kind + ' file' }}:
          {{ part.filled }} filled, {{ part.standIns }} with a stand-in, {{ part.files - part.filled - part.standIns }} empty;
          {{ part.distinct | count: 'different text' }}.
        </p>
      }
      @if (row.status === 'alike') {
        <p class="note bad">
          The schema has {{ row.property!.writtenName }}. They differ only in {{ difference(row) }}: programs that compare exactly treat them as two properties.
        </p>
      }
      <p class="links">
        <button type="button" class="link" (click)="values.emit(row.name)">Its values</button>
        <button type="button" class="link" (click)="files.emit(row.name)">Its files</button>
      </p>
      @if (row.status === 'stray' && mayAdminister()) {
        <p-button label="Define it in the schema" (onClick)="define(row)" />
      }
      @if (mayEdit()) {
        <h2 class="clean">Clean up</h2>
        <div class="clean">
          <button
            type="button"
            class="link"
            (click)="act.emit({ do: 'merge', names: [row.name], to: row.property?.writtenName ?? row.name, clash: 'keep the filled one' })"
          >
            {{ row.status === 'alike' ? 'Move to ' + row.property!.writtenName + ' …' : 'Rename, or move to another name …' }}
          </button>
          <button type="button" class="link" (click)="act.emit({ do: 'trim', name: row.name })">Trim blanks …</button>
          <button type="button" class="link" (click)="act.emit({ do: 'case', name: row.name, style: 'upper' })">Change the letter case …</button>
          <button type="button" class="link" (click)="act.emit({ do: 'split', name: row.name, separator: ', ', into: [row.name, row.name + ' 2'] })">
            Split its values …
          </button>
          <button type="button" class="link" (click)="act.emit({ do: 'convert', name: row.name, unit: row.guess.unit ?? 'mm' })">Convert to a unit …</button>
          <button type="button" class="link" (click)="act.emit({ do: 'remove', names: [row.name] })">Remove …</button>
        </div>
      }
      @if (row.status === 'known' || row.status === 'retired') {
        <rule-way [property]="row.property!.id" />
      }
      <p>
        <a [routerLink]="['/values']" [queryParams]="{ kind: row.kinds[0] }">Open the {{ row.kinds[0] }} files in Values</a>
      </p>
    } @else {
      <p class="soft">Select a name to see how it is used and to clean it up. Tick several to merge them or to define properties.</p>
    }
  `,
  styles: `
    .links {
      display: flex;
      gap: 14px;
    }
    .clean {
      display: grid;
      gap: 4px;
      margin: 12px 0;
      justify-items: start;
    }
    h2.clean {
      margin: 14px 0 4px;
    }
  `,
})
export class ChosenName {
  readonly row = input.required<NameRow | undefined>();
  readonly mayEdit = input(false);
  readonly mayAdminister = input(false);
  /** Asks for a clean-up. */
  readonly act = output<CleanUp>();
  /** Asks for the values of a name, and for its files. */
  readonly values = output<string>();
  readonly files = output<string>();
  private readonly router = inject(Router);

  protected difference(row: NameRow): string {
    return compareNames(row.name, row.property!.writtenName);
  }

  protected define(row: NameRow): void {
    void this.router.navigate(['/schema'], { queryParams: { define: row.name, kinds: row.kinds.join(',') } });
  }
}
