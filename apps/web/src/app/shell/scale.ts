import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';
import { Store } from '@ngrx/store';
import { catalogueFeature } from '../shared';
import { count } from '@rule/core/words';

/** Stations in working order. */
export const STATIONS = [
  { path: 'overview', name: 'Overview' },
  { path: 'survey', name: 'Survey' },
  { path: 'schema', name: 'Schema' },
  { path: 'forms', name: 'Forms' },
  { path: 'values', name: 'Values' },
  { path: 'title-blocks', name: 'Title blocks' },
  { path: 'bom', name: 'BOM' },
  { path: 'vault', name: 'Vault' },
  { path: 'exchange', name: 'Exchange' },
] as const;

/** The navigation scale with station progress. */
@Component({
  selector: 'rule-scale',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive],
  template: `
    <nav aria-label="Stations">
      @for (station of stations(); track station.path) {
        <a [routerLink]="['/', station.path]" routerLinkActive="on" ariaCurrentWhenActive="page">
          <b [class]="station.tone">{{ station.count }}</b>
          <span>{{ station.name }}</span>
        </a>
      }
    </nav>
  `,
  styles: `
    nav {
      display: flex;
      height: 100%;
      position: relative;
    }
    /* The graduations: eleven short marks between two stations, a middle one at the half. */
    nav::after {
      content: '';
      position: absolute;
      inset: auto 0 0;
      height: 12px;
      pointer-events: none;
      background:
        repeating-linear-gradient(90deg, var(--ink) 0 1px, transparent 1px calc(100% / 9)) 0 0 / 100% 12px no-repeat,
        repeating-linear-gradient(90deg, var(--soft) 0 1px, transparent 1px calc(100% / 90)) 0 100% / 100% 7px no-repeat;
    }
    a {
      position: relative;
      flex: 1 1 0;
      min-width: 58px;
      display: flex;
      flex-direction: column;
      align-items: center;
      justify-content: center;
      padding-bottom: 16px;
      text-decoration: none;
      color: var(--soft);
      font:
        500 14px/1.1 'Barlow Semi Condensed',
        sans-serif;
      white-space: nowrap;
      margin-top: 10px;
      border: 1.5px solid transparent;
      border-bottom: 0;
      border-radius: 4px 4px 0 0;
      transition: border-color 140ms;
    }
    b {
      font-weight: 500;
      font-size: 11px;
      height: 14px;
    }
    b.bad {
      color: var(--vermilion);
    }
    b.warn {
      color: var(--ochre);
    }
    a:hover {
      color: var(--ink);
    }
    /* The hairline cursor stands on the station in use. */
    a.on {
      color: var(--ink);
      font-weight: 600;
      border-color: var(--brass);
      background: color-mix(in srgb, var(--panel) 55%, transparent);
    }
    a.on::after {
      content: '';
      position: absolute;
      left: 50%;
      bottom: 0;
      width: 1.5px;
      height: 20px;
      background: var(--vermilion);
      z-index: 1;
    }
  `,
})
export class Scale {
  private readonly overview = inject(Store).selectSignal(catalogueFeature.selectOverview);

  protected readonly stations = computed(() => {
    const overview = this.overview();
    const of = (station: string) => (overview?.toDo ?? []).filter((item) => item.station === station).reduce((sum, item) => sum + item.count, 0);
    const shown = (path: string): { count: string; tone: string } => {
      // Without files there is no completeness.
      if (!overview || (overview.files === 0 && path !== 'overview' && path !== 'schema')) return { count: '', tone: '' };
      const n = of(path);
      switch (path) {
        case 'overview':
          return { count: count(overview.files, 'file'), tone: '' };
        case 'survey':
          return { count: n ? `${n} to look at` : 'all known', tone: n ? 'warn' : '' };
        case 'schema':
          return overview.draft === null
            ? { count: count(overview.properties, 'property', 'properties'), tone: '' }
            : { count: `draft ${overview.draft}`, tone: 'warn' };
        case 'values':
          return { count: n ? `${n} to do` : 'complete', tone: n ? 'warn' : '' };
        case 'forms':
          return { count: overview.forms ? `${overview.forms} laid out` : 'none yet', tone: '' };
        case 'title-blocks':
          return { count: n ? `${n} open` : 'all right', tone: n ? 'warn' : '' };
        case 'bom':
          return { count: n ? `${n} unmatched` : 'all matched', tone: n ? 'bad' : '' };
        case 'exchange':
          return { count: n ? `${n} out` : '', tone: '' };
        default:
          return { count: '', tone: '' };
      }
    };
    return STATIONS.map((station) => ({ ...station, ...shown(station.path) }));
  });
}
