import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FileFilter } from '@rule/contract';
import { KINDS } from '@rule/core/schema';
import { IndexRow } from '../shared';
import { SurveyStore } from './survey.store';

const PLURAL: Readonly<Record<string, string>> = { part: 'Parts', assembly: 'Assemblies', drawing: 'Drawings', other: 'Other files' };

/** Changes of the address. */
export type Wanted = Readonly<Record<string, string | number | null>>;

/** Libraries, views and limits of Survey. */
@Component({
  selector: 'rule-survey-index',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [IndexRow],
  template: `
    <h3>Libraries</h3>
    @for (row of found.survey()?.libraries ?? []; track row.id) {
      <rule-index-row
        [text]="row.name"
        [end]="row.files + ' files'"
        [on]="look() === 'library' && library() === row.id"
        (choose)="go.emit({ look: 'library', library: row.id })"
      />
    }
    @if (mayAdminister()) {
      <rule-index-row text="Add library" (choose)="add.emit()" />
    }
    <h3>Look at</h3>
    <rule-index-row text="Names" [end]="found.rows().length" [on]="look() === 'names'" (choose)="go.emit({ look: null })" />
    <rule-index-row
      text="Strays"
      [end]="found.strays().length"
      [tone]="found.strays().length ? 'warn' : ''"
      [on]="look() === 'strays'"
      (choose)="go.emit({ look: 'strays' })"
    />
    <rule-index-row
      text="Stand-ins"
      [end]="standIns()"
      [tone]="standIns() ? 'warn' : ''"
      [on]="look() === 'stand-ins'"
      (choose)="go.emit({ look: 'stand-ins' })"
    />
    <rule-index-row text="Coverage" [on]="look() === 'coverage'" (choose)="go.emit({ look: 'coverage' })" />
    <rule-index-row
      text="Twins"
      [end]="found.twins()?.length ?? ''"
      [tone]="found.twins()?.length ? 'warn' : ''"
      [on]="look() === 'twins'"
      (choose)="go.emit({ look: 'twins' })"
    />
    <rule-index-row text="Values of a name" [on]="look() === 'values'" (choose)="go.emit({ look: 'values', name: name() ?? found.rows()[0]?.name ?? null })" />
    <rule-index-row text="Files by any value" [on]="look() === 'files'" (choose)="go.emit({ look: 'files' })" />
    <rule-index-row
      text="Remarks on files"
      [end]="found.survey()?.remarks ?? 0"
      [tone]="found.survey()?.remarks ? 'warn' : ''"
      [on]="look() === 'remarks'"
      (choose)="go.emit({ look: 'remarks' })"
    />
    <rule-index-row text="Learned mappings" [on]="look() === 'learned'" (choose)="go.emit({ look: 'learned' })" />
    <rule-index-row text="Foreign names" [on]="look() === 'foreign'" (choose)="go.emit({ look: 'foreign' })" />
    <rule-index-row text="Masses and materials" [on]="look() === 'masses'" (choose)="go.emit({ look: 'masses' })" />
    <rule-index-row text="Earlier surveys" [on]="look() === 'kept'" (choose)="go.emit({ look: 'kept' })" />
    <rule-index-row text="Classes" [end]="found.survey()?.classes?.length ?? ''" [on]="look() === 'classes'" (choose)="go.emit({ look: 'classes' })" />
    <h3>Limit to a kind</h3>
    @for (row of kinds; track row) {
      <rule-index-row [text]="plural(row)" [on]="kind() === row" (choose)="limit.emit({ kind: kind() === row ? null : row })" />
    }
    @if (found.survey()?.classes?.length) {
      <h3>Limit to a class</h3>
      @for (row of found.survey()!.classes; track row.id) {
        <rule-index-row
          [text]="row.name"
          [end]="row.files"
          [on]="filter().class === row.id"
          (choose)="limit.emit({ class: filter().class === row.id ? null : row.id })"
        />
      }
    }
    <h3>Limit to a folder</h3>
    @for (row of found.survey()?.folders ?? []; track row.library + row.folder) {
      <rule-index-row
        [text]="row.folder ? leaf(row.folder) : 'top folder'"
        [depth]="depth(row.folder)"
        [end]="row.files"
        [on]="filter().folder === row.folder && filter().library === row.library"
        (choose)="toFolder(row.library, row.folder)"
      />
    }
  `,
})
export class SurveyIndex {
  readonly look = input.required<string>();
  readonly library = input.required<number>();
  /** The name whose values are shown. */
  readonly name = input.required<string | undefined>();
  readonly kind = input.required<string | undefined>();
  readonly filter = input.required<FileFilter>();
  readonly mayAdminister = input(false);
  /** Another view; other limits; another library. */
  readonly go = output<Wanted>();
  readonly limit = output<Wanted>();
  readonly add = output();
  protected readonly found = inject(SurveyStore);
  protected readonly kinds = KINDS;
  protected readonly standIns = computed(() => this.found.rows().reduce((sum, row) => sum + row.standIns, 0));

  protected plural(kind: string): string {
    return PLURAL[kind] ?? kind;
  }
  protected leaf(folder: string): string {
    return folder.slice(folder.lastIndexOf('/') + 1);
  }
  protected depth(folder: string): number {
    return folder.split('/').length - 1;
  }

  protected toFolder(library: number, folder: string): void {
    const on = this.filter().folder === folder && this.filter().library === library;
    this.limit.emit({ folder: on ? null : folder, library: on ? null : library });
  }
}
