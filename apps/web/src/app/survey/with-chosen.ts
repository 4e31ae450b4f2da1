import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { CleanUp } from '@rule/core/survey';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { sessionFeature } from '../shared';

/** What can be done with the names that were chosen. */
@Component({
  selector: 'rule-with-chosen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule],
  template: `
    <div class="ticks" role="region" aria-label="With the chosen names">
      <b>{{ names().length }} chosen</b>
      @if (mayAdminister()) {
        <p-button size="small" label="Make properties …" (onClick)="define.emit()" />
      }
      <p-button
        size="small"
        severity="secondary"
        [label]="names().length === 1 ? 'Rename …' : 'Merge …'"
        (onClick)="
          act.emit({
            do: 'merge',
            names: names().length === 1 ? names() : names().slice(1),
            to: names()[0]!,
            clash: 'keep the filled one',
          })
        "
      />
      @if (names().length > 1) {
        <p-button size="small" severity="secondary" label="Join …" (onClick)="act.emit({ do: 'join', names: names(), separator: ' ', to: names()[0]! })" />
      }
      <p-button size="small" severity="secondary" label="Remove …" (onClick)="act.emit({ do: 'remove', names: names() })" />
      <button type="button" class="link" (click)="letGo.emit()">let go</button>
    </div>
  `,
  styles: `
    .ticks {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      margin-bottom: 10px;
    }
  `,
})
export class WithChosen {
  readonly names = input.required<string[]>();
  readonly act = output<CleanUp>();
  /** They shall become properties. */
  readonly define = output();
  readonly letGo = output();
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
}
