import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { BlockView } from '@rule/contract';
import { BlockShape, CellDefinition, Point } from '@rule/core/files';

interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

const pointsOf = (shape: BlockShape): Point[] =>
  shape.shape === 'line'
    ? [...shape.points]
    : shape.shape === 'circle'
      ? [
          { x: shape.at.x - shape.radius, y: shape.at.y - shape.radius },
          { x: shape.at.x + shape.radius, y: shape.at.y + shape.radius },
        ]
      : [shape.at];

/** Drawings state the height of capitals; the page's font size is larger, as its capitals are 0.7 of it. */
const FONT_SIZE_PER_HEIGHT = 1 / 0.7;

/** The extent of a block's drawing in its own coordinates. */
export function extentOf(shapes: readonly BlockShape[], cells: readonly CellDefinition[]): Box {
  const points = [...shapes.flatMap(pointsOf), ...cells.map((cell) => cell.at)];
  if (points.length === 0) return { x: 0, y: 0, width: 1, height: 1 };
  const xs = points.map((p) => p.x);
  const ys = points.map((p) => p.y);
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  return { x, y, width: Math.max(...xs) - x || 1, height: Math.max(...ys) - y || 1 };
}

/**
 * The smallest rectangle of the block's straight lines around a cell's insertion point: where a click
 * chooses the cell. Blocks whose cells are not boxed in give the lettering's own surroundings.
 */
export function frameOf(cell: CellDefinition, shapes: readonly BlockShape[]): Box {
  const edges = shapes.flatMap((shape) =>
    shape.shape === 'line' ? (shape.closed ? [...shape.points, shape.points[0]!] : shape.points).slice(1).map((to, i) => ({ from: shape.points[i]!, to })) : [],
  );
  const { x, y } = cell.at;
  const level = y + cell.height / 2;
  let [left, right, bottom, top] = [-Infinity, Infinity, -Infinity, Infinity];
  for (const { from, to } of edges) {
    const [minX, maxX, minY, maxY] = [Math.min(from.x, to.x), Math.max(from.x, to.x), Math.min(from.y, to.y), Math.max(from.y, to.y)];
    if (minX === maxX && minY <= level && level <= maxY) {
      if (minX <= x) left = Math.max(left, minX);
      else right = Math.min(right, minX);
    } else if (minY === maxY && minX <= x && x <= maxX) {
      if (minY <= level) bottom = Math.max(bottom, minY);
      else top = Math.min(top, minY);
    }
  }
  return [left, right, bottom, top].every(Number.isFinite)
    ? { x: left, y: bottom, width: right - left, height: top - bottom }
    : { x: x - 1, y: y - 1, width: cell.height * 8, height: cell.height * 2 };
}

/** A block drawn to scale from the drawing's own lines and texts, with its cells filled. */
@Component({
  selector: 'rule-block-picture',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg [attr.viewBox]="viewBox()" role="group" [attr.aria-label]="'Title block ' + view().block.name">
      @for (cell of cells(); track cell.tag) {
        <rect
          class="frame"
          [class.on]="cell.tag === selected()"
          [class.stale]="cell.stale"
          [attr.x]="cell.frame.x"
          [attr.y]="-cell.frame.y - cell.frame.height"
          [attr.width]="cell.frame.width"
          [attr.height]="cell.frame.height"
          tabindex="0"
          role="button"
          [attr.aria-label]="'Cell ' + cell.tag + ': ' + (cell.blank ? 'blank' : cell.text)"
          (click)="choose.emit(cell.tag)"
          (keydown.enter)="choose.emit(cell.tag)"
          (keydown.space)="choose.emit(cell.tag); $event.preventDefault()"
        />
      }
      <g class="ink" aria-hidden="true">
        @for (shape of view().block.shapes; track $index) {
          @switch (shape.shape) {
            @case ('line') {
              <path [attr.d]="path(shape)" />
            }
            @case ('circle') {
              <circle [attr.cx]="shape.at.x" [attr.cy]="-shape.at.y" [attr.r]="shape.radius" />
            }
            @case ('text') {
              <text
                class="label"
                [attr.transform]="place(shape.at, shape.rotation)"
                [attr.font-size]="shape.height * perHeight"
                [attr.text-anchor]="anchor(shape.align)"
                [textContent]="shape.text"
              ></text>
            }
          }
        }
        @for (cell of cells(); track cell.tag) {
          <text
            [class]="cell.blank ? 'empty' : cell.stale ? 'would' : 'value'"
            [attr.transform]="place(cell.at, cell.rotation)"
            [attr.font-size]="cell.height * perHeight"
            [attr.text-anchor]="anchor(cell.align)"
            [textContent]="cell.blank && cell.text ? '‹' + cell.text + '›' : cell.text"
          ></text>
        }
      </g>
    </svg>
  `,
  styles: `
    svg {
      display: block;
      width: 100%;
      max-height: 300px;
    }
    .ink path,
    .ink circle {
      fill: none;
      stroke: var(--ink);
      stroke-width: 0.35;
    }
    text {
      font-family: 'Barlow Semi Condensed', sans-serif;
      font-weight: 500;
      fill: var(--ink);
    }
    .label {
      fill: var(--soft);
    }
    .empty {
      fill: var(--faint);
      font-style: italic;
    }
    .would {
      fill: var(--brass-ink);
      font-weight: 600;
    }
    .frame {
      fill: transparent;
      cursor: pointer;
    }
    .frame:hover {
      fill: color-mix(in srgb, var(--brass-tint) 50%, transparent);
    }
    .frame.stale {
      fill: var(--brass-tint);
    }
    .frame.on {
      stroke: var(--ink);
      stroke-width: 0.9;
    }
    .frame:focus-visible {
      outline: none;
      stroke: var(--brass);
      stroke-width: 1.2;
    }
  `,
})
export class BlockPicture {
  readonly view = input.required<BlockView>();
  readonly selected = input<string | null>(null);
  readonly choose = output<string>();
  protected readonly perHeight = FONT_SIZE_PER_HEIGHT;
  private readonly extent = computed(() => extentOf(this.view().block.shapes, this.view().block.cells));

  protected readonly viewBox = computed(() => {
    const { x, y, width, height } = this.extent();
    const air = Math.max(width, height) * 0.012;
    return `${x - air} ${-y - height - air} ${width + 2 * air} ${height + 2 * air}`;
  });

  protected readonly cells = computed(() =>
    this.view().block.cells.map((definition) => {
      const cell = this.view().cells.find((candidate) => candidate.tag === definition.tag);
      const bound = cell?.bound ?? null;
      const kept = cell?.stored ?? '';
      // What is not written over is drawn as it stands; a placeholder stands for a blank alone.
      const shows = bound?.shown.state === 'value' && bound.state !== 'fixed' && bound.state !== 'computed' ? bound.shown.text : kept;
      const blank = shows.trim() === '';
      const wanted = blank && bound && bound.shown.state !== 'value' ? bound.shown.placeholder : shows;
      const stale = bound !== null && bound.state === 'stale';
      return { ...definition, frame: frameOf(definition, this.view().block.shapes), text: wanted, blank, stale };
    }),
  );

  protected path(shape: Extract<BlockShape, { shape: 'line' }>): string {
    return shape.points.map((p, i) => `${i ? 'L' : 'M'}${p.x} ${-p.y}`).join('') + (shape.closed ? 'Z' : '');
  }

  protected place(at: Point, rotation: number): string {
    return `translate(${at.x} ${-at.y}) rotate(${-rotation})`;
  }

  protected anchor(align: CellDefinition['align']): string {
    return { left: 'start', centre: 'middle', right: 'end' }[align];
  }
}
