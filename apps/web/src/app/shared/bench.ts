import { ChangeDetectionStrategy, Component, input, signal } from '@angular/core';
import { RuleTip } from '../kit/tip';

const kept = (key: string) => {
  try {
    return localStorage.getItem(key) === 'folded';
  } catch {
    return false;
  }
};

/** The three-pane layout: index, work area, inspector. Both sides fold. */
@Component({
  selector: 'rule-bench',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip],
  template: `
    @if (index()) {
      <nav class="index" [class.folded]="indexFolded()" [attr.aria-label]="label() + ': index'">
        <button
          class="fold"
          type="button"
          (click)="fold('index')"
          [attr.aria-expanded]="!indexFolded()"
          aria-label="Index"
          [ruleTip]="indexFolded() ? 'Show the index' : 'Fold the index away'"
        >
          {{ indexFolded() ? '›' : '‹' }}
        </button>
        @if (!indexFolded()) {
          <ng-content select="[bench=index]" />
        }
      </nav>
    }
    <main class="work" id="work" tabindex="-1"><ng-content /></main>
    @if (inspector()) {
      <aside class="inspector" [class.folded]="inspectorFolded()" [attr.aria-label]="label() + ': inspector'">
        <button
          class="fold"
          type="button"
          (click)="fold('inspector')"
          [attr.aria-expanded]="!inspectorFolded()"
          aria-label="Inspector"
          [ruleTip]="inspectorFolded() ? 'Show the inspector' : 'Fold the inspector away'"
        >
          {{ inspectorFolded() ? '‹' : '›' }}
        </button>
        @if (!inspectorFolded()) {
          <ng-content select="[bench=inspector]" />
        }
      </aside>
    }
  `,
  styles: `
    :host {
      display: flex;
      height: 100%;
      min-height: 0;
    }
    .index,
    .inspector {
      position: relative;
      flex: none;
      overflow: auto;
    }
    .index {
      width: 240px;
      border-right: 1px solid var(--line);
      padding: 12px 0 20px;
    }
    .inspector {
      width: 296px;
      border-left: 1px solid var(--line);
      background: var(--side);
      padding: 18px 20px;
    }
    .folded {
      width: 26px;
      padding: 0;
    }
    .work {
      /* What is set out of its flow, like texts that are only heard, scrolls with it and not with the page. */
      position: relative;
      flex: 1;
      min-width: 0;
      overflow: auto;
      padding: 20px 24px;
      outline: none;
    }
    .fold {
      position: absolute;
      top: 6px;
      right: 3px;
      width: 20px;
      height: 22px;
      border: 0;
      background: none;
      color: var(--faint);
      cursor: pointer;
      z-index: 2;
    }
    .inspector .fold {
      right: auto;
      left: 3px;
    }
  `,
})
export class Bench {
  readonly label = input.required<string>();
  readonly index = input(true);
  readonly inspector = input(true);
  protected readonly indexFolded = signal(kept('rule.index'));
  protected readonly inspectorFolded = signal(kept('rule.inspector'));

  protected fold(side: 'index' | 'inspector'): void {
    const state = side === 'index' ? this.indexFolded : this.inspectorFolded;
    state.update((folded) => !folded);
    try {
      localStorage.setItem(`rule.${side}`, state() ? 'folded' : 'open');
    } catch {
      // Without storage the side is open again at the next visit.
    }
  }
}
