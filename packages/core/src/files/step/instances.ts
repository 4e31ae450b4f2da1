import { WASM } from './instances.wasm';

/** Columns of instances: ids, starts, right sides, ends. */
export type Columns = readonly [Int32Array, Int32Array, Int32Array, Int32Array];

interface Constant {
  readonly value: number;
}

/** Exports of `packages/core/wasm/instances.ts`. */
interface Machine {
  readonly memory: { readonly buffer: ArrayBuffer };
  readonly room: Constant;
  readonly hashes: Constant;
  readonly ids: Constant;
  readonly window: Constant;
  readonly report: Constant;
  readonly run: (from: number, length: number, base: number, names: number) => number;
}

/** The part of `WebAssembly` in use; its types are not available to every project that includes the core. */
interface Engine {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object) => { readonly exports: unknown };
}

/** The module with its memory layout. */
interface Desk {
  readonly machine: Machine;
  readonly columns: Columns;
  readonly marked: Int32Array;
  readonly named: Int32Array;
  readonly report: Int32Array;
  readonly pairs: Uint8Array;
  readonly hashes: Int32Array;
  readonly window: Uint8Array;
}

/** Bytes per step. */
const WINDOW = 256 * 1024;

/** Distinct pairs of initial letters. */
const PAIRS = 1024;

/** Code of a name's first two letters, case-insensitive. */
const pair = (first: number, second: number): number => ((first & 31) << 5) | (second & 31);

/** Hash of a name in capitals, tested before comparing. */
function hashOf(name: string): number {
  let hash = 0;
  for (let i = 0; i < name.length; i++) hash = (Math.imul(hash, 31) + name.charCodeAt(i)) | 0;
  return hash;
}

let desk: Desk | undefined;

/** Created on first use. One instance suffices: files are scanned synchronously. */
function theDesk(): Desk {
  if (desk) return desk;
  const bytes = Uint8Array.from(atob(WASM), (c) => c.charCodeAt(0));
  const { Module, Instance } = (globalThis as unknown as { WebAssembly: Engine }).WebAssembly;
  const machine = new Instance(new Module(bytes)).exports as Machine;
  const { buffer } = machine.memory;
  const room = machine.room.value;
  const column = (n: number) => new Int32Array(buffer, machine.ids.value + 4 * room * n, room);
  desk = {
    machine,
    columns: [column(0), column(1), column(2), column(3)],
    marked: column(4),
    named: column(5),
    report: new Int32Array(buffer, machine.report.value, 4),
    pairs: new Uint8Array(buffer, 0, PAIRS),
    hashes: new Int32Array(buffer, machine.hashes.value, 64),
    window: new Uint8Array(buffer, machine.window.value, WINDOW),
  };
  return desk;
}

/** The names currently searched for. */
let looksFor: readonly string[] | undefined;

function lookFor({ pairs, hashes }: Desk, wanted: readonly string[]): void {
  if (looksFor === wanted) return;
  if (wanted.length > hashes.length) throw new RangeError(`At most ${hashes.length} names can be looked for.`);
  pairs.fill(0);
  for (const name of wanted) {
    const first = pair(name.charCodeAt(0), name.charCodeAt(1));
    // A one-letter name may be followed by anything.
    if (name.length === 1) pairs.fill(1, first, first + 32);
    else pairs[first] = 1;
  }
  hashes.set(wanted.map(hashOf));
  looksFor = wanted;
}

/**
 * Scans plain instances with WebAssembly SIMD, sixteen bytes at a time: no comments, entirely inside the window. The caller handles
 * everything else.
 */
export class PlainInstances {
  private readonly desk = theDesk();
  /** The window's offsets in the file. */
  private start = 0;
  private end = 0;
  /** Instances of the last run; valid until the next. */
  readonly columns = this.desk.columns;

  constructor(
    private readonly bytes: Uint8Array,
    private readonly wanted: readonly string[],
  ) {
    lookFor(this.desk, wanted);
  }

  /**
   * Scans instances starting at `from`.
   * @returns their number; 0 if the first is not plain
   */
  run(from: number): number {
    if (from >= this.start && from < this.end) {
      const count = this.go(from);
      // The window stays if moving it would not help.
      if (count > 0 || !this.endsWithin || this.end === this.bytes.length || from === this.start) return count;
    }
    this.start = from;
    this.end = Math.min(this.bytes.length, from + WINDOW);
    this.desk.window.set(this.bytes.subarray(this.start, this.end));
    return this.go(from);
  }

  private go(from: number): number {
    return this.desk.machine.run(from - this.start, this.end - this.start, this.start, this.wanted.length);
  }

  /** Largest id of the last run. */
  get largest(): number {
    return this.desk.report[1]!;
  }

  /** Offset where the last run stopped. */
  get stopped(): number {
    return this.desk.report[2]!;
  }

  /** Whether the last run stopped at the window's end. */
  private get endsWithin(): boolean {
    return this.desk.report[3] === 1;
  }

  /** Instances of the last run that are complex or may match a name. */
  get marks(): number {
    return this.desk.report[0]!;
  }

  /** Row of a marked instance. */
  rowOf(mark: number): number {
    return this.desk.marked[mark]!;
  }

  /** Name index of a marked instance by hash; the number of names if it is complex. */
  nameOf(mark: number): number {
    return this.desk.named[mark]!;
  }
}
