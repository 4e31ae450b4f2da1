import { Injectable, computed, effect, signal } from '@angular/core';

const KEY = 'rule.surface';

function kept(): boolean | null {
  try {
    const name = localStorage.getItem(KEY);
    return name === null ? null : name === 'dark';
  } catch {
    // Storage may be closed to pages.
    return null;
  }
}

/** The light or dark surface: as chosen in this browser, otherwise as the machine's, also when that changes. */
@Injectable({ providedIn: 'root' })
export class Surface {
  private readonly machine = matchMedia('(prefers-color-scheme: dark)');
  private readonly machineIsDark = signal(this.machine.matches);
  private readonly chosen = signal(kept());
  readonly dark = computed(() => this.chosen() ?? this.machineIsDark());

  constructor() {
    this.machine.addEventListener('change', ({ matches }) => this.machineIsDark.set(matches));
    effect(() => document.documentElement.classList.toggle('dark', this.dark()));
  }

  /** Chooses the other surface and keeps the choice for later visits. */
  turn(): void {
    const dark = !this.dark();
    this.chosen.set(dark);
    try {
      localStorage.setItem(KEY, dark ? 'dark' : 'light');
    } catch {
      // Without storage the machine decides at the next visit.
    }
  }
}
