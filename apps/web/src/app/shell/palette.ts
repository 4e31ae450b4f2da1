import { ChangeDetectionStrategy, Component, ElementRef, computed, effect, inject, model, signal, untracked, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { signalStore } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { map } from 'rxjs';
import { TrayActions, catalogueFeature, withAnswer } from '../shared';
import { STATIONS } from './scale';

/** Pause while somebody types, in milliseconds. */
const TYPING_MS = 150;
/** Files offered. */
const FILES = 8;

/** Files that hold a text in their path or a value. */
const FoundFilesStore = signalStore(
  withAnswer((api, search: string) => api.values({ search, limit: FILES }).pipe(map((page) => page.rows.map((row) => row.file))), TYPING_MS),
);

interface Entry {
  readonly what: string;
  readonly text: string;
  readonly go: () => void;
}

/** The command palette: stations, properties, files and actions. */
@Component({
  selector: 'rule-palette',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [FoundFilesStore],
  imports: [FormsModule],
  template: `
    @if (open()) {
      <div class="veil" (click)="open.set(false)" aria-hidden="true"></div>
      <div class="palette card" role="dialog" aria-modal="true" aria-label="Go to">
        <input
          #box
          type="text"
          placeholder="Station, property, file or action"
          role="combobox"
          aria-expanded="true"
          aria-controls="palette-list"
          [attr.aria-activedescendant]="'palette-' + at()"
          aria-label="Find"
          autocomplete="off"
          [ngModel]="text()"
          (ngModelChange)="text.set($event); at.set(0)"
          (keydown)="key($event)"
        />
        <ul id="palette-list" role="listbox" aria-label="Found">
          @for (entry of entries(); track $index) {
            <li
              role="option"
              [id]="'palette-' + $index"
              [attr.aria-selected]="$index === at()"
              [class.on]="$index === at()"
              (click)="choose(entry)"
              (mouseenter)="at.set($index)"
            >
              <span>{{ entry.text }}</span><small>{{ entry.what }}</small>
            </li>
          } @empty {
            <li class="none">Nothing found.</li>
          }
        </ul>
      </div>
    }
  `,
  styles: `
    .veil {
      position: fixed;
      inset: 0;
      background: rgba(16, 22, 28, 0.35);
      z-index: 40;
    }
    .palette {
      position: fixed;
      z-index: 41;
      top: 110px;
      left: 50%;
      transform: translateX(-50%);
      width: min(560px, 92vw);
      box-shadow: var(--shadow);
      border-top: 3px solid var(--brass);
    }
    input {
      width: 100%;
      border: 0;
      border-bottom: 1px solid var(--line);
      background: none;
      padding: 12px 16px;
      font-size: 15px;
      outline: none;
    }
    ul {
      list-style: none;
      margin: 0;
      padding: 6px 0;
      max-height: 340px;
      overflow: auto;
    }
    li {
      display: flex;
      justify-content: space-between;
      gap: 12px;
      padding: 6px 16px;
      cursor: pointer;
    }
    li.on {
      background: var(--brass-tint);
    }
    small,
    .none {
      color: var(--soft);
    }
  `,
})
export class Palette {
  readonly open = model(false);
  private readonly router = inject(Router);
  private readonly store = inject(Store);
  private readonly box = viewChild<ElementRef<HTMLInputElement>>('box');
  private readonly properties = this.store.selectSignal(catalogueFeature.selectAll);
  protected readonly text = signal('');
  protected readonly at = signal(0);
  private readonly files = inject(FoundFilesStore);

  protected readonly entries = computed<Entry[]>(() => {
    const wanted = this.text().trim().toLowerCase();
    const go =
      (commands: string[], queryParams: Record<string, string | number> = {}) =>
      () =>
        void this.router.navigate(commands, { queryParams });
    const fixed: Entry[] = [
      ...[...STATIONS, { path: 'history', name: 'History' }, { path: 'settings', name: 'Settings' }].map(({ path, name }) => ({
        what: 'station',
        text: name,
        go: go(['/', path]),
      })),
      { what: 'action', text: 'Review pending changes', go: () => this.store.dispatch(TrayActions.open({ open: true })) },
      { what: 'action', text: 'Define a property', go: go(['/', 'schema'], { define: '' }) },
      { what: 'action', text: 'Send values out', go: go(['/', 'exchange']) },
      ...this.properties().map((property) => ({
        what: property.retired ? 'retired property' : 'property',
        text: property.caption,
        go: go(['/', 'schema'], { property: property.id }),
      })),
    ];
    return [
      ...fixed.filter((entry) => entry.text.toLowerCase().includes(wanted)),
      ...(this.files.answer() ?? []).map((file) => ({ what: file.kind, text: file.path, go: go(['/', 'file', String(file.id)]) })),
    ].slice(0, 30);
  });

  constructor() {
    effect(() => {
      const text = this.text().trim();
      untracked(() => this.files.ask(text.length < 2 ? null : text));
    });
    let before: Element | null = null;
    effect(() => {
      if (this.open()) {
        before ??= document.activeElement;
        this.text.set('');
        this.at.set(0);
        setTimeout(() => this.box()?.nativeElement.focus());
      } else if (before instanceof HTMLElement) {
        before.focus();
        before = null;
      }
    });
  }

  protected key(event: KeyboardEvent): void {
    const last = this.entries().length - 1;
    if (event.key === 'ArrowDown') this.at.update((i) => Math.min(i + 1, last));
    else if (event.key === 'ArrowUp') this.at.update((i) => Math.max(i - 1, 0));
    else if (event.key === 'Enter') this.choose(this.entries()[this.at()]);
    else if (event.key === 'Escape') this.open.set(false);
    else if (event.key !== 'Tab') return;
    event.preventDefault();
  }

  protected choose(entry: Entry | undefined): void {
    if (!entry) return;
    this.open.set(false);
    entry.go();
  }
}
