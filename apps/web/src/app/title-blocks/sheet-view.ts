import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  ElementRef,
  afterNextRender,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { Box } from '@rule/core/lettering';
import { InputTextModule } from 'primeng/inputtext';
import { RuleTip } from '../kit';
import { Inks, Look, ShownText, Size } from './painter';
import { FromSheet, SheetCell, SheetText } from './sheet-messages';
import { SheetPainter, SheetPainters } from './sheet-painter';

/** A cell's mark on the sheet. */
export interface CellMark {
  readonly tag: string;
  readonly label: string;
  /** CSS class for the cell's problem. */
  readonly tone: '' | 'stale' | 'too-long' | 'lacking' | 'bad';
}

/** The displayed sheet: drawing (with content hash if known), layout and block. */
export interface ShownSheet {
  readonly file: number;
  readonly layout: string;
  readonly holder: string;
}

const STEP = 1.25;
const MOST_ZOOM = 400;
/** Texts shown at once to be chosen. */
const MOST_TEXTS = 400;

/** The drawn sheet with selectable cells; pan and zoom by pointer, wheel and keys. */
@Component({
  selector: 'rule-sheet-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, InputTextModule],
  template: `
    <div
      class="frame"
      #frame
      tabindex="0"
      role="group"
      [attr.aria-label]="label() + '. Arrow keys move the sheet, plus and minus zoom, B shows the block, S the whole sheet.'"
      [attr.aria-busy]="!painted()"
      (keydown)="key($event)"
      (wheel)="wheel($event)"
      (pointerdown)="grab($event)"
      (pointermove)="drag($event)"
      (pointerup)="drop($event)"
      (pointercancel)="drop($event)"
    >
      <canvas #canvas aria-hidden="true"></canvas>
      @for (cell of placed(); track cell.tag) {
        <button
          type="button"
          class="cell"
          [class]="cell.tone"
          [class.on]="chosen().includes(cell.tag)"
          [style.left.px]="cell.x"
          [style.top.px]="cell.y"
          [style.width.px]="cell.width"
          [style.height.px]="cell.height"
          [style.transform]="cell.turn ? 'rotate(' + cell.turn + 'deg)' : null"
          [attr.aria-label]="cell.label"
          [attr.aria-pressed]="chosen().includes(cell.tag)"
          (click)="choose.emit({ tag: cell.tag, more: $event.ctrlKey || $event.metaKey || $event.shiftKey })"
          (dblclick)="write.emit(cell.tag)"
        >
          @if (cell.lacking) {
            <span class="lacks">{{ cell.tag }}</span>
          }
        </button>
      }
      @for (text of free(); track text.of.name) {
        <button
          type="button"
          class="cell free"
          [class.anchored]="text.of.anchor"
          [class.on]="picked() === text.of.name"
          [style.left.px]="text.x"
          [style.top.px]="text.y"
          [style.width.px]="text.width"
          [style.height.px]="text.height"
          [style.transform]="text.turn ? 'rotate(' + text.turn + 'deg)' : null"
          [attr.aria-label]="(text.of.anchor ? 'Anchored text ' : 'Text ') + text.of.text"
          [attr.aria-pressed]="picked() === text.of.name"
          (click)="pick.emit(text.of)"
        ></button>
      }
      @if (writingAt(); as at) {
        <div class="writing" [style.left.px]="at.x" [style.top.px]="at.y" [style.width.px]="at.width">
          <input
            #writer
            pInputText
            pSize="small"
            [value]="writing()!.text"
            [attr.aria-label]="writing()!.hint"
            (keydown.enter)="written.emit(writer.value)"
            (keydown.escape)="stopped.emit(); $event.stopPropagation()"
            (pointerdown)="$event.stopPropagation()"
          />
          <small>{{ writing()!.hint }} · Enter saves to the tray, Esc leaves it</small>
        </div>
      }
      @if (failure(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      } @else if (!opened()) {
        <p class="soft wait" role="status">Drawing the sheet …</p>
      }
    </div>
    <div class="tools" role="toolbar" aria-label="View">
      <button type="button" class="plain" ruleTip="Show the block (B)" [disabled]="!focus()" (click)="showBlock()">Block</button>
      <button type="button" class="plain" ruleTip="Show the whole sheet (S)" (click)="showSheet()">Sheet</button>
      <button type="button" class="plain" ruleTip="Zoom out (-)" aria-label="Zoom out" (click)="zoomBy(1 / step)">−</button>
      <button type="button" class="plain" ruleTip="Zoom in (+)" aria-label="Zoom in" (click)="zoomBy(step)">+</button>
      @if (leftOut(); as text) {
        <span class="soft">{{ text }}</span>
      }
    </div>
  `,
  styleUrl: './sheet-view.css',
})
export class SheetView {
  private readonly painters = inject(SheetPainters);
  private readonly destroyed = inject(DestroyRef);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly sheet = input.required<ShownSheet>();
  /** Changes with the file, to redraw. */
  readonly version = input(0);
  readonly label = input('Sheet');
  readonly texts = input<readonly ShownText[]>([]);
  readonly marks = input<readonly CellMark[]>([]);
  readonly chosen = input<readonly string[]>([]);
  /** Whether plain texts are chosen instead of cells. */
  readonly anchoring = input(false);
  /** Name of the chosen text. */
  readonly picked = input<string | null>(null);
  readonly pick = output<SheetText>();
  readonly choose = output<{ readonly tag: string; readonly more: boolean }>();
  /** Requests typing in a cell. */
  readonly write = output<string>();
  /** The cell being typed in, its text, and the value's owner. */
  readonly writing = input<{ readonly tag: string; readonly text: string; readonly hint: string } | null>(null);
  readonly written = output<string>();
  readonly stopped = output<void>();
  private readonly writer = viewChild<ElementRef<HTMLInputElement>>('writer');
  protected readonly step = STEP;

  private readonly frame = viewChild.required<ElementRef<HTMLElement>>('frame');
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private painter: SheetPainter | null = null;
  private asked = 0;
  private readonly size = signal<Size>({ width: 1, height: 1, ratio: 1 });
  private readonly look = signal<Look>({ x: 0, y: 0, zoom: 1 });
  /** Changes between light and dark. */
  private readonly surface = signal(0);
  protected readonly opened = signal<Extract<FromSheet, { readonly is: 'opened' }> | null>(null);
  protected readonly failure = signal<string | null>(null);
  /** Whether the requested sheet is displayed. */
  protected readonly painted = signal(false);
  protected readonly focus = computed(() => this.opened()?.focus ?? null);
  private readonly ready = signal(false);

  /** Page positions of the block's cells. */
  protected readonly placed = computed(() => {
    const opened = this.opened();
    if (!opened || this.anchoring()) return [];
    const { holder } = this.sheet();
    const marks = new Map(this.marks().map((mark) => [mark.tag, mark]));
    return opened.cells
      .filter((cell) => cell.holder === holder)
      .map((cell) => {
        const mark = marks.get(cell.tag);
        return {
          tag: cell.tag,
          lacking: cell.lacking,
          label: mark?.label ?? `Cell ${cell.tag}`,
          tone: cell.lacking ? 'lacking' : (mark?.tone ?? ''),
          ...this.boxOn(cell),
        };
      });
  });
  /** Plain texts in sight with their areas on the page. */
  protected readonly free = computed(() => {
    const opened = this.opened();
    if (!opened || !this.anchoring()) return [];
    const { width, height } = this.size();
    return (
      opened.texts
        .map((of) => ({ of, ...this.boxOn(of) }))
        // A frame that is not measured yet hides nothing.
        .filter((text) => width === 0 || (text.x < width && text.y < height && text.x + text.width > 0 && text.y + text.height > 0))
        .slice(0, MOST_TEXTS)
    );
  });
  protected readonly writingAt = computed(() => {
    const tag = this.writing()?.tag;
    const cell = tag === undefined ? undefined : this.placed().find((candidate) => candidate.tag === tag);
    if (!cell) return null;
    const { width, height } = this.size();
    // Brings the typed cell into view.
    return { x: Math.min(Math.max(cell.x, 0), Math.max(0, width - 240)), y: Math.min(Math.max(cell.y, 0), Math.max(0, height - 60)), width: cell.width };
  });
  protected readonly leftOut = computed(() => {
    const opened = this.opened();
    if (!opened) return '';
    const parts = Object.entries(opened.left).map(([what, n]) => `${n} × ${what}`);
    return [opened.cut ? 'drawn in part: it holds more than can be drawn' : '', parts.length ? `not drawn: ${parts.join(', ')}` : '']
      .filter(Boolean)
      .join(' · ');
  });

  constructor() {
    afterNextRender(() => this.begin());
    this.destroyed.onDestroy(() => this.painter?.close());
    effect(() => {
      const { file, layout, holder } = this.sheet();
      this.version();
      if (!this.ready()) return;
      untracked(() => {
        this.failure.set(null);
        this.painted.set(false);
      });
      this.asked++;
      this.painter?.tell({ do: 'open', n: this.asked, file, layout, holder });
    });
    effect(() => {
      const field = this.writer()?.nativeElement;
      field?.focus();
      field?.select();
    });
    effect(() => {
      const texts = this.texts();
      if (this.opened()) this.painter?.tell({ do: 'texts', texts });
    });
    effect(() => {
      const [look, size] = [this.look(), this.size()];
      this.surface();
      if (this.ready()) this.painter?.tell({ do: 'look', look, size, inks: this.inks() });
    });
  }

  private begin(): void {
    this.painter = this.painters.open((message) => this.heard(message));
    const canvas = this.canvas().nativeElement;
    if (typeof canvas.transferControlToOffscreen === 'function') {
      const offscreen = canvas.transferControlToOffscreen();
      this.painter.tell({ do: 'canvas', canvas: offscreen }, [offscreen]);
    }
    const frame = this.frame().nativeElement;
    const measure = () => this.size.set({ width: frame.clientWidth, height: frame.clientHeight, ratio: globalThis.devicePixelRatio || 1 });
    measure();
    if (typeof ResizeObserver === 'function') {
      const observer = new ResizeObserver(measure);
      observer.observe(frame);
      this.destroyed.onDestroy(() => observer.disconnect());
    }
    const surface = new MutationObserver(() => this.surface.update((n) => n + 1));
    surface.observe(document.documentElement, { attributes: true, attributeFilter: ['class'] });
    this.destroyed.onDestroy(() => surface.disconnect());
    this.ready.set(true);
  }

  private heard(message: FromSheet): void {
    if (message.is === 'failed') this.failure.set(message.message);
    if (message.is === 'painted' && this.opened()?.n === this.asked) this.painted.set(true);
    if (message.is !== 'opened' || message.n !== this.asked) return;
    const before = this.opened();
    this.opened.set(message);
    // The view is reset for another sheet, but kept for the same one.
    if (!before || JSON.stringify(before.focus) !== JSON.stringify(message.focus)) {
      if (message.focus) this.showBlock();
      else this.showSheet();
    }
  }

  /** Current page colours, light or dark. */
  private inks(): Inks {
    const style = getComputedStyle(this.host.nativeElement);
    const colour = (name: string, otherwise: string) => style.getPropertyValue(name).trim() || otherwise;
    const paper = colour('--panel', '#ffffff');
    return {
      paper,
      ink: colour('--ink', '#1c2733'),
      faint: colour('--faint', '#8b8577'),
      changed: colour('--brass-ink', '#7a5a1d'),
      tooLong: colour('--ochre', '#b7791f'),
      beyond: `color-mix(in srgb, ${paper} 55%, transparent)`,
    };
  }

  private onPage({ x, y }: { readonly x: number; readonly y: number }): { x: number; y: number } {
    const [look, size] = [this.look(), this.size()];
    return { x: size.width / 2 + (x - look.x) * look.zoom, y: size.height / 2 - (y - look.y) * look.zoom };
  }

  /** A cell's area on the page: a rectangle rotated about its lower left corner. */
  private boxOn({ corners }: Pick<SheetCell, 'corners'>): { x: number; y: number; width: number; height: number; turn: number } {
    const [a, b, , d] = corners.map((corner) => this.onPage(corner)) as [Box, Box, Box, Box];
    const [width, height] = [Math.hypot(b.x - a.x, b.y - a.y), Math.hypot(d.x - a.x, d.y - a.y)];
    const turn = (Math.atan2(b.y - a.y, b.x - a.x) * 180) / Math.PI;
    return { x: a.x, y: a.y - height, width, height, turn: Math.abs(turn) < 0.01 ? 0 : turn };
  }

  private fit(box: Box, air: number): void {
    const { width, height } = this.size();
    const zoom = Math.min(width / (box.width * air), height / (box.height * air), MOST_ZOOM);
    this.look.set({ x: box.x + box.width / 2, y: box.y + box.height / 2, zoom: Number.isFinite(zoom) && zoom > 0 ? zoom : 1 });
  }
  protected showBlock(): void {
    const focus = this.focus();
    if (focus) this.fit(focus, 1.08);
  }
  protected showSheet(): void {
    const extent = this.opened()?.extent;
    if (extent) this.fit(extent, 1.04);
  }
  protected zoomBy(factor: number, at?: { readonly x: number; readonly y: number }): void {
    const [look, { width, height }] = [this.look(), this.size()];
    const zoom = Math.min(Math.max(look.zoom * factor, 0.001), MOST_ZOOM);
    // The point under the pointer stays fixed.
    const [dx, dy] = at ? [at.x - width / 2, height / 2 - at.y] : [0, 0];
    this.look.set({ x: look.x + dx / look.zoom - dx / zoom, y: look.y + dy / look.zoom - dy / zoom, zoom });
  }
  private move(right: number, up: number): void {
    this.look.update((look) => ({ ...look, x: look.x + right / look.zoom, y: look.y + up / look.zoom }));
  }

  protected key(event: KeyboardEvent): void {
    if (event.target !== this.frame().nativeElement || event.ctrlKey || event.metaKey || event.altKey) return;
    const by = event.shiftKey ? 160 : 40;
    const act = {
      ArrowLeft: () => this.move(-by, 0),
      ArrowRight: () => this.move(by, 0),
      ArrowUp: () => this.move(0, by),
      ArrowDown: () => this.move(0, -by),
      '+': () => this.zoomBy(STEP),
      '=': () => this.zoomBy(STEP),
      '-': () => this.zoomBy(1 / STEP),
      b: () => this.showBlock(),
      s: () => this.showSheet(),
    }[event.key];
    if (!act) return;
    act();
    event.preventDefault();
  }
  protected wheel(event: WheelEvent): void {
    const { left, top } = this.frame().nativeElement.getBoundingClientRect();
    this.zoomBy(Math.exp(-event.deltaY * 0.0015), { x: event.clientX - left, y: event.clientY - top });
    event.preventDefault();
  }

  private grabbed: { readonly id: number; x: number; y: number; moved: boolean } | null = null;
  protected grab(event: PointerEvent): void {
    if (event.button === 0 || event.button === 1) this.grabbed = { id: event.pointerId, x: event.clientX, y: event.clientY, moved: false };
  }
  protected drag(event: PointerEvent): void {
    const held = this.grabbed;
    if (held?.id !== event.pointerId) return;
    const [dx, dy] = [event.clientX - held.x, event.clientY - held.y];
    // Tolerates small movements when clicking.
    if (!held.moved && Math.hypot(dx, dy) < 4) return;
    if (!held.moved) this.frame().nativeElement.setPointerCapture(event.pointerId);
    held.moved = true;
    [held.x, held.y] = [event.clientX, event.clientY];
    this.move(-dx, dy);
  }
  protected drop(event: PointerEvent): void {
    if (this.grabbed?.id === event.pointerId) this.grabbed = null;
  }
}
