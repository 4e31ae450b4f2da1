/** Nine numbers per triangle: three corners. */
export type Triangles = Float32Array | Float64Array | readonly number[];

/** RGBA pixels. */
export interface Picture {
  readonly width: number;
  readonly height: number;
  readonly rgba: Uint8Array;
}

type Vector = readonly [number, number, number];
const minus = (a: Vector, b: Vector): Vector => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const cross = (a: Vector, b: Vector): Vector => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const dot = (a: Vector, b: Vector): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const unit = (a: Vector): Vector => {
  const length = Math.hypot(...a) || 1;
  return [a[0] / length, a[1] / length, a[2] / length];
};

/** View from the front right, above. */
const TO_EYE = unit([0.62, -0.9, 0.62]);
const RIGHT = unit(cross([0, 0, 1], TO_EYE));
const UP = cross(TO_EYE, RIGHT);
const LIGHT = unit([0.35, -0.75, 1]);
/** Samples per pixel and axis. */
const SAMPLES = 2;
/** Margin as a share of the picture. */
const MARGIN = 0.06;

/** Renders triangles in parallel projection, shaded by slope, with a depth buffer. Colour 0 to 255. */
export function drawTriangles(triangles: Triangles, width: number, height: number, colour: Vector): Picture {
  const [w, h] = [width * SAMPLES, height * SAMPLES];
  const count = Math.floor(triangles.length / 9);
  const points = new Float64Array(count * 9);
  let [left, right, bottom, top] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < count * 9; i += 3) {
    const p: Vector = [triangles[i]!, triangles[i + 1]!, triangles[i + 2]!];
    const [x, y] = [dot(p, RIGHT), dot(p, UP)];
    points[i] = x;
    points[i + 1] = y;
    points[i + 2] = dot(p, TO_EYE);
    left = Math.min(left, x);
    right = Math.max(right, x);
    bottom = Math.min(bottom, y);
    top = Math.max(top, y);
  }
  const rgba = new Uint8Array(width * height * 4);
  if (count === 0) return { width, height, rgba };
  const scale = Math.min((w * (1 - 2 * MARGIN)) / Math.max(right - left, 1e-9), (h * (1 - 2 * MARGIN)) / Math.max(top - bottom, 1e-9));
  const [cx, cy] = [(left + right) / 2, (bottom + top) / 2];
  const depth = new Float32Array(w * h).fill(-Infinity);
  const shade = new Float32Array(w * h);
  for (let t = 0; t < count; t++) {
    const at = t * 9;
    const corner = (k: number): Vector => [triangles[at + k * 3]!, triangles[at + k * 3 + 1]!, triangles[at + k * 3 + 2]!];
    const normal = unit(cross(minus(corner(1), corner(0)), minus(corner(2), corner(0))));
    // Lit on both sides: orientation is unreliable.
    const facing = dot(normal, TO_EYE) < 0 ? -1 : 1;
    const light = 0.42 + 0.5 * Math.max(0, facing * dot(normal, LIGHT)) + 0.16 * Math.abs(dot(normal, TO_EYE));
    fill(points, at, scale, cx, cy, w, h, light, depth, shade);
  }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let [sum, hits] = [0, 0];
      for (let sy = 0; sy < SAMPLES; sy++)
        for (let sx = 0; sx < SAMPLES; sx++) {
          const k = (y * SAMPLES + sy) * w + x * SAMPLES + sx;
          if (depth[k]! > -Infinity) {
            sum += shade[k]!;
            hits++;
          }
        }
      if (hits === 0) continue;
      const to = (y * width + x) * 4;
      for (let c = 0; c < 3; c++) rgba[to + c] = Math.min(255, Math.round((colour[c]! * sum) / hits));
      rgba[to + 3] = Math.round((255 * hits) / (SAMPLES * SAMPLES));
    }
  return { width, height, rgba };
}

/** Rasterises a triangle into the depth buffer. */
function fill(
  points: Float64Array,
  at: number,
  scale: number,
  cx: number,
  cy: number,
  w: number,
  h: number,
  light: number,
  depth: Float32Array,
  shade: Float32Array,
): void {
  const x = (k: number) => (points[at + k * 3]! - cx) * scale + w / 2;
  const y = (k: number) => h / 2 - (points[at + k * 3 + 1]! - cy) * scale;
  const [x0, y0, x1, y1, x2, y2] = [x(0), y(0), x(1), y(1), x(2), y(2)];
  const area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0);
  if (Math.abs(area) < 1e-9) return;
  const [z0, z1, z2] = [points[at + 2]!, points[at + 5]!, points[at + 8]!];
  const fromY = Math.max(0, Math.floor(Math.min(y0, y1, y2)));
  const toY = Math.min(h - 1, Math.ceil(Math.max(y0, y1, y2)));
  const fromX = Math.max(0, Math.floor(Math.min(x0, x1, x2)));
  const toX = Math.min(w - 1, Math.ceil(Math.max(x0, x1, x2)));
  for (let py = fromY; py <= toY; py++)
    for (let px = fromX; px <= toX; px++) {
      const [sx, sy] = [px + 0.5, py + 0.5];
      const a = ((x1 - sx) * (y2 - sy) - (x2 - sx) * (y1 - sy)) / area;
      const b = ((x2 - sx) * (y0 - sy) - (x0 - sx) * (y2 - sy)) / area;
      const c = 1 - a - b;
      if (a < -1e-9 || b < -1e-9 || c < -1e-9) continue;
      const z = a * z0 + b * z1 + c * z2;
      const k = py * w + px;
      if (z > depth[k]!) {
        depth[k] = z;
        shade[k] = light;
      }
    }
}
