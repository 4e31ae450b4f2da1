import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { OtherName, TwinRow } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { CleanUp } from '@rule/core/survey';
import { ButtonModule } from 'primeng/button';
import { RuleCheck, RuleColumn, RuleRadio, RuleTable, RuleWaiting } from '../kit';
import { Count, ExactName } from '../shared';

/** Groups of names that probably mean the same, with reasons, counts and contradictions. */
@Component({
  selector: 'rule-twins',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, ButtonModule, Count, ExactName, RuleCheck, RuleRadio],
  template: `
    @if (!rows()) {
      <rule-waiting />
    } @else {
      @for (group of rows(); track keyOf(group)) {
        <section class="card" [attr.aria-label]="'Twins of ' + targetOf(group)">
          <div class="top">
            <h2>{{ group.reasons.join(', ') }}</h2>
            @if (group.clashes) {
              <span class="warn">{{ group.clashes | count: 'place holds' : 'places hold' }} two of them with different values</span>
            }
            <button type="button" class="link" (click)="contradictions.emit(group.names.map(nameOf))">files</button>
            <p-button size="small" severity="secondary" label="Merge …" [disabled]="!canMerge(group)" (onClick)="merge(group)" />
          </div>
          <rule-table label="Names of the group" [rows]="group.names" key="name">
            <ng-container *ruleColumn="let entry of group.names; name: 'Keep'">
              <rule-radio
                [name]="keyOf(group)"
                [ariaLabel]="'Keep ' + entry.name"
                [checked]="entry.name === targetOf(group)"
                (choose)="target(group, entry.name)"
              />
            </ng-container>
            <ng-container *ruleColumn="let entry of group.names; name: 'Written name'">
              <button type="button" class="plain" (click)="pick.emit(entry.name)"><rule-exact-name [name]="entry.name" /></button>
            </ng-container>
            <ng-container *ruleColumn="let entry of group.names; name: 'In the schema'">{{ entry.property === null ? '' : 'yes' }}</ng-container>
            <ng-container *ruleColumn="let entry of group.names; name: 'Files'; num: true">{{ entry.files }}</ng-container>
            <ng-container *ruleColumn="let entry of group.names; name: 'Filled'; num: true">{{ entry.filled }}</ng-container>
            <ng-container *ruleColumn="let entry of group.names; name: 'Belongs to the group'; look: 'fit'">
              <rule-check
                [ariaLabel]="entry.name + ' belongs to the group'"
                [checked]="!out().has(keyOf(group) + entry.name)"
                [disabled]="entry.name === targetOf(group)"
                (flip)="leave(group, entry.name)"
              />
            </ng-container>
          </rule-table>
        </section>
      } @empty {
        <p class="note">No similar names. Abbreviations are defined in Settings.</p>
      }
      <section class="card">
        <h2>Values under another name</h2>
        <p class="soft">Names similar to a property's written name. Values under them are not found by that property.</p>
        <rule-table label="Other names" [rows]="others() ?? []" key="name" empty="None.">
          <ng-container *ruleColumn="let other of others() ?? []">
            <button type="button" class="plain" (click)="pick.emit(other.name)"><rule-exact-name [name]="other.name" /></button>
          </ng-container>
          <ng-container *ruleColumn="let other of others() ?? []"> {{ other.files }} filled </ng-container>
          <ng-container *ruleColumn="let other of others() ?? []">
            {{ other.differs === 'wording' ? 'other wording' : 'differs in ' + other.differs }}
          </ng-container>
          <ng-container *ruleColumn="let other of others() ?? []">
            <rule-exact-name [name]="writtenName(other.property)" />
          </ng-container>
          <ng-container *ruleColumn="let other of others() ?? []; look: 'fit'">
            <button type="button" class="link" (click)="rename(other)">Move the values there …</button>
          </ng-container>
        </rule-table>
      </section>
    }
  `,
  styles: `
    .top {
      display: flex;
      gap: 14px;
      align-items: center;
      margin-bottom: 4px;
    }
    .top h2 {
      margin: 0;
      flex: 1;
    }
    th:first-child,
    td:first-child {
      width: 52px;
    }
  `,
})
export class Twins {
  readonly rows = input.required<readonly TwinRow[] | null>();
  readonly others = input.required<readonly OtherName[] | null>();
  readonly properties = input.required<Readonly<Record<number, Property | undefined>>>();
  readonly act = output<CleanUp>();
  readonly pick = output<string>();
  readonly contradictions = output<readonly string[]>();
  private readonly targets = signal<Readonly<Record<string, string>>>({});
  /** Names removed from their group by the user. */
  protected readonly out = signal<ReadonlySet<string>>(new Set());
  protected readonly nameOf = (entry: { name: string }) => entry.name;
  protected readonly keyOf = (group: TwinRow) =>
    group.names
      .map((entry) => entry.name)
      .sort()
      .join('\n');
  private readonly byName = computed(() => new Map((this.rows() ?? []).map((group) => [this.keyOf(group), group])));

  protected targetOf(group: TwinRow): string {
    return this.targets()[this.keyOf(group)] ?? group.names[0]!.name;
  }
  protected target(group: TwinRow, name: string): void {
    this.targets.update((all) => ({ ...all, [this.keyOf(group)]: name }));
  }
  protected leave(group: TwinRow, name: string): void {
    const next = new Set(this.out());
    const key = this.keyOf(group) + name;
    if (!next.delete(key)) next.add(key);
    this.out.set(next);
  }
  private sources(group: TwinRow): string[] {
    const to = this.targetOf(group);
    return this.byName()
      .get(this.keyOf(group))!
      .names.filter((entry) => entry.name !== to && entry.files > 0 && !this.out().has(this.keyOf(group) + entry.name))
      .map((entry) => entry.name);
  }
  protected canMerge(group: TwinRow): boolean {
    return this.sources(group).length > 0;
  }
  protected merge(group: TwinRow): void {
    this.act.emit({ do: 'merge', names: this.sources(group), to: this.targetOf(group), clash: 'keep the filled one' });
  }
  protected writtenName(property: number): string {
    return this.properties()[property]?.writtenName ?? '';
  }
  protected rename(other: OtherName): void {
    this.act.emit({ do: 'merge', names: [other.name], to: this.writtenName(other.property), clash: 'keep the filled one' });
  }
}
