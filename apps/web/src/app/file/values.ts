import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { FileDetails } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleCheck, RuleColumn, RuleTable, RuleTip } from '../kit';
import { ExactName, plainHeld, sessionFeature } from '../shared';
import { HeldThere, Holder, PLACES, knownValues } from './known';

/** Holders listed at first. */
const SHOWN = 12;

/** All values of a file by what holds them, with their states. */
@Component({
  selector: 'rule-file-values',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, RuleColumn, RuleTable, ButtonModule, ExactName, RuleCheck],
  template: `
    @for (holder of shown(); track holder.key) {
      <section class="card" [attr.aria-label]="holderTitle(holder)">
        <h2>{{ holderTitle(holder) }}</h2>
        <rule-table label="Values" [rows]="holder.values" picks [chosen]="chosen()" (pick)="choose.emit($event)">
          @if (holder.key === '' && mayCopy()) {
            <ng-container *ruleColumn="let value of holder.values; said: 'Copy'">
              @if (value.place === 'property' && value.held.text) {
                <rule-check
                  [ariaLabel]="'Choose ' + value.name + ' for copying'"
                  [checked]="copied().has(value.name)"
                  (click)="$event.stopPropagation()"
                  (flip)="tick.emit(value.name)"
                />
              }
            </ng-container>
          }
          <ng-container *ruleColumn="let value of holder.values; name: 'Name'; by: 'name'">
            <rule-exact-name [name]="value.name" />
          </ng-container>
          <ng-container *ruleColumn="let value of holder.values; name: 'Value'; look: 'mono'">{{ show(value.held) }}</ng-container>
          <ng-container *ruleColumn="let value of holder.values; name: 'Origin'; look: 'soft'">{{ places[value.place] }}</ng-container>
          <ng-container *ruleColumn="let value of holder.values; name: 'State'">
            @for (state of known.states(value, holder, details().file.id); track state.text) {
              <span class="chip" [class]="'chip ' + state.tone" [ruleTip]="state.why">{{ state.text }}</span>&ngsp;
            }
          </ng-container>
        </rule-table>
        @if (holder.key === '' && copied().size) {
          <p><p-button size="small" severity="secondary" [label]="'Copy ' + copied().size + ' to other files …'" (onClick)="copyWanted.emit()" /></p>
        }
      </section>
    } @empty {
      <p class="note">This file has no values.</p>
    }
    @if (hidden()) {
      <button type="button" class="link" (click)="all.set(true)">Show {{ hidden() }} more levels</button>
    }
  `,
  styles: `
    rule-table {
      overflow-wrap: anywhere;
    }
    section p {
      margin: 2px 0;
    }
  `,
})
export class FileValues {
  readonly details = input.required<FileDetails>();
  readonly chosen = input.required<HeldThere | null>();
  /** Names ticked for copying. */
  readonly copied = input.required<ReadonlySet<string>>();
  readonly choose = output<HeldThere>();
  readonly tick = output<string>();
  readonly copyWanted = output();
  protected readonly mayCopy = inject(Store).selectSignal(sessionFeature.selectMayEdit);
  protected readonly known = knownValues();
  protected readonly places = PLACES;
  protected readonly show = plainHeld;
  private readonly filled = computed(() => this.details().holders.filter((holder) => holder.values.length > 0));
  protected readonly all = linkedSignal<number, boolean>({ source: () => this.details().file.id, computation: () => false });
  /** Long occurrence lists are shortened until expanded. */
  protected readonly shown = computed(() => (this.all() ? this.filled() : this.filled().slice(0, SHOWN)));
  protected readonly hidden = computed(() => this.filled().length - this.shown().length);

  protected holderTitle({ level, label }: Holder): string {
    return level === 'document' ? 'The document' : level === 'copy' ? `Copy of ${label}` : `${level[0]!.toUpperCase()}${level.slice(1)} ${label}`;
  }
}
