import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

/** An exact written name: spaces as faint dots; leading and trailing ones are marked and announced. */
@Component({
  selector: 'rule-exact-name',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@for (part of parts(); track $index) {
      <span [class]="part.kind">{{ part.text }}</span>
    }
    @if (said()) {
      <span class="visually-hidden">{{ said() }}</span>
    }`,
  styles: `
    :host {
      font:
        12.5px 'JetBrains Mono',
        monospace;
      white-space: pre;
    }
    .blank {
      color: var(--faint);
      opacity: 0.6;
    }
    .edge {
      color: var(--vermilion);
      background: var(--vermilion-tint);
    }
  `,
})
export class ExactName {
  readonly name = input.required<string>();
  protected readonly parts = computed(() => {
    const name = this.name();
    const start = name.length - name.trimStart().length;
    const end = name.trimEnd().length;
    return [...name].map((c, i) => (c.trim() === '' ? { kind: i < start || i >= end ? 'edge' : 'blank', text: '·' } : { kind: '', text: c }));
  });
  protected readonly said = computed(() => {
    const name = this.name();
    return name !== name.trimEnd() ? ' with a space at the end' : name !== name.trimStart() ? ' with a space at the start' : '';
  });
}
