import { ChangeDetectionStrategy, Component, computed, effect, inject, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { Practice, Starter } from '@rule/core/standards';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { FileLink, sessionFeature } from '../shared';
import { SchemaStore } from './schema.store';
import { StandardsStore } from './standards.store';

/** Starter schemas, and what draft and drawings lack of a standard. */
@Component({
  selector: 'rule-standards',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [StandardsStore],
  imports: [RuleColumn, RuleTable, RuleOption, RuleSelect, ButtonModule, FileLink, FormsModule],
  template: `
    <div class="head">
      <div>
        <h1>Starting points and standards</h1>
        <p class="soft">Figures of standards are from memory and have not been checked against their texts.</p>
      </div>
    </div>
    <div class="cards">
      @for (starter of standards.starters(); track starter.id) {
        <section class="card" [attr.aria-label]="starter.title">
          <h2>{{ starter.title }}</h2>
          <p class="soft">{{ starter.about }}</p>
          <p>{{ fresh(starter) }} of {{ starter.properties.length }} properties are not in the schema yet.</p>
          @if (mayAdminister()) {
            <p-button
              severity="secondary"
              label="Add to the draft"
              [disabled]="!fresh(starter)"
              (onClick)="take(starter)"
              [ariaLabel]="'Add to the draft: ' + starter.title"
            />
          }
        </section>
      }
    </div>
    <div class="head">
      <div><h2>Check against</h2></div>
      <rule-select ariaLabel="Practice" [ngModel]="practice()" (ngModelChange)="practice.set($event)">
        <rule-option value="iso" label="ISO practice" />
        <rule-option value="asme" label="ASME practice" />
      </rule-select>
    </div>
    <div class="card">
      <rule-table label="Findings" [rows]="found()" [empty]="standards.findings() ? 'Nothing is missing.' : ''">
        <ng-container *ruleColumn="let finding of found()">
          <span [class]="finding.severity === 'error' ? 'bad' : finding.severity === 'warning' ? 'warn' : 'soft'">{{ finding.severity }}</span>
        </ng-container>
        <ng-container *ruleColumn="let finding of found(); name: 'About'">{{ finding.about }}</ng-container>
        <ng-container *ruleColumn="let finding of found(); name: 'Finding'">
          @if (finding.file) {
            <rule-file [id]="finding.file" [path]="finding.subject" />:
          }
          @if (finding.property; as property) {
            <button type="button" class="link" (click)="opened.emit(property)">{{ finding.message }}</button>
          } @else {
            {{ finding.message }}
          }
        </ng-container>
        <ng-container *ruleColumn="let finding of found(); name: 'Source'"> {{ finding.source.standard }}, from memory </ng-container>
      </rule-table>
    </div>
  `,
  styles: `
    .cards {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 14px;
      margin-bottom: 18px;
    }
    section.card {
      padding: 12px 16px;
      margin: 0;
    }
    h2 {
      margin: 0 0 4px;
    }
  `,
})
export class Standards {
  private readonly store = inject(SchemaStore);
  protected readonly standards = inject(StandardsStore);
  readonly opened = output<number>();
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  protected readonly practice = signal<Practice>('iso');
  private readonly names = computed(() => new Set(this.store.properties().flatMap((property) => [property.writtenName, ...property.knownSpellings])));

  protected readonly found = computed(() => this.standards.findings() ?? []);

  constructor() {
    this.standards.loadStarters();
    effect(() => {
      const practice = this.practice();
      this.store.draft();
      untracked(() => this.standards.look(practice));
    });
  }

  protected fresh(starter: Starter): number {
    return starter.properties.filter((property) => !this.names().has(property.writtenName)).length;
  }
  protected take(starter: Starter): void {
    this.store.takeStarter(starter);
  }
}
