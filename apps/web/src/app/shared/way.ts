import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { RuleWaiting } from '../kit/waiting';
import { signalStore } from '@ngrx/signals';
import { withAnswer } from './answer';
import { catalogueFeature } from './catalogue.state';
import { trayFeature } from './tray.state';
import { ExactName } from './exact-name';

/** Hops of a property. */
const WayStore = signalStore(withAnswer((api, property: number) => api.way(property)));

/** The way of a property, hop by hop, with reasons for breaks. */
@Component({
  selector: 'rule-way',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [WayStore],
  imports: [RuleWaiting, RouterLink, ExactName],
  template: `
    @if (shown(); as p) {
      <h2>Trace of {{ p.caption }}</h2>
      <p class="name"><rule-exact-name [name]="p.writtenName" /></p>
      @if (way.error(); as text) {
        <p class="note bad">{{ text }}</p>
      }
      <ol>
        @for (hop of way.answer() ?? []; track $index) {
          <li [class]="hop.state">
            <a [routerLink]="['/', hop.station]" [queryParams]="hop.station === 'schema' ? { property: p.id } : {}">{{ hop.title }}</a>
            <span class="visually-hidden">{{ hop.state === 'broken' ? 'broken: ' : '' }}</span>
            <p>{{ hop.detail }}</p>
            @if (hop.why) {
              <p class="why">{{ hop.why }}</p>
            }
          </li>
        } @empty {
          @if (!way.error()) {
            <rule-waiting />
          }
        }
      </ol>
    }
  `,
  styles: `
    .name {
      margin: -4px 0 14px;
      color: var(--soft);
    }
    ol {
      list-style: none;
      margin: 0;
      padding: 0;
    }
    li {
      position: relative;
      padding: 0 0 14px 24px;
    }
    li::before {
      content: '';
      position: absolute;
      left: 6px;
      top: 8px;
      bottom: -6px;
      width: 1.5px;
      background: var(--verdigris);
    }
    li:last-child::before {
      display: none;
    }
    li::after {
      content: '';
      position: absolute;
      left: 1px;
      top: 4px;
      width: 11px;
      height: 11px;
      border-radius: 50%;
      background: var(--side);
      border: 2px solid var(--verdigris);
    }
    li.broken::after {
      border-color: var(--vermilion);
      border-radius: 0;
      transform: rotate(45deg);
    }
    li.broken::before {
      background: repeating-linear-gradient(var(--vermilion) 0 4px, transparent 4px 8px);
    }
    li.note::after {
      border-color: var(--faint);
    }
    a {
      font:
        600 13px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--ink);
      text-decoration: none;
    }
    a:hover {
      text-decoration: underline;
    }
    p {
      margin: 1px 0;
      color: var(--soft);
      overflow-wrap: anywhere;
    }
    .why {
      background: var(--vermilion-tint);
      border-left: 3px solid var(--vermilion);
      padding: 6px 9px;
      color: var(--ink);
      margin-top: 5px;
    }
  `,
})
export class Way {
  protected readonly way = inject(WayStore);
  private readonly store = inject(Store);
  readonly property = input.required<number | null>();
  private readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly shown = computed(() => this.byId()[this.property() ?? 0]);

  constructor() {
    effect(() => {
      const id = this.property();
      this.applied();
      this.shown();
      untracked(() => this.way.ask(id));
    });
  }
}
