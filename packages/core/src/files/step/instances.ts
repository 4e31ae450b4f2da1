import { WASM } from './instances.wasm';

/** Columns of instances: the ids, the starts, the right sides, the ends. */
export type Columns = readonly [Int32Array, Int32Array, Int32Array, Int32Array];

interface Constant {
  readonly value: number;
}

/** What `packages/core/wasm/instances.ts` is built into. */
interface Machine {
  readonly memory: { readonly buffer: ArrayBuffer };
  readonly room: Constant;
  readonly hashes: Constant;
  readonly ids: Constant;
  readonly window: Constant;
  readonly report: Constant;
  readonly run: (from: number, length: number, base: number, names: number) => number;
}

/** The part of the engine's `WebAssembly` that is used; not every project that the core is part of has its types. */
interface Engine {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object) => { readonly exports: unknown };
}

/** The machine with its memory laid out. */
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

/** Bytes of a file that are looked at in one step. */
const WINDOW = 256 * 1024;

/** Pairs of first letters that are told apart. */
const PAIRS = 1024;

/** A number for the first two letters of a name, in either case. */
const pair = (first: number, second: number): number => ((first & 31) << 5) | (second & 31);

/** The hash of a name in capitals by which it is recognised before it is compared. */
function hashOf(name: string): number {
  let hash = 0;
  for (let i = 0; i < name.length; i++) hash = (Math.imul(hash, 31) + name.charCodeAt(i)) | 0;
  return hash;
}

let desk: Desk | undefined;

/** Sets the machine up when it is needed first. One is enough: a file is gone through in one step. */
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

/** The list of names that the machine looks for now. */
let looksFor: readonly string[] | undefined;

function lookFor({ pairs, hashes }: Desk, wanted: readonly string[]): void {
  if (looksFor === wanted) return;
  if (wanted.length > hashes.length) throw new RangeError(`At most ${hashes.length} names can be looked for.`);
  pairs.fill(0);
  for (const name of wanted) {
    const first = pair(name.charCodeAt(0), name.charCodeAt(1));
    // Anything may follow a name of one letter.
    if (name.length === 1) pairs.fill(1, first, first + 32);
    else pairs[first] = 1;
  }
  hashes.set(wanted.map(hashOf));
  looksFor = wanted;
}

/**
 * Goes through instances by machine code, sixteen bytes at a time, as long as they are plain: without comments, whole in a
 * window of the file. Whatever else comes is left to who asked.
 */
export class PlainInstances {
  private readonly desk = theDesk();
  /** The window, as offsets in the file. */
  private start = 0;
  private end = 0;
  /** The instances of the last run, good until the next one. */
  readonly columns = this.desk.columns;

  constructor(
    private readonly bytes: Uint8Array,
    private readonly wanted: readonly string[],
  ) {
    lookFor(this.desk, wanted);
  }

  /** Goes through the instances from `from` on. @returns how many there were; none where the first one is not plain */
  run(from: number): number {
    if (from >= this.start && from < this.end) {
      const count = this.go(from);
      // Where more of the file would not help, the window stays.
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

  /** The largest id of the last run. */
  get largest(): number {
    return this.desk.report[1]!;
  }

  /** Offset of the statement at which the last run stopped. */
  get stopped(): number {
    return this.desk.report[2]!;
  }

  /** Whether the last run stopped because the window ends in the next statement. */
  private get endsWithin(): boolean {
    return this.desk.report[3] === 1;
  }

  /** Instances of the last run that are complex or may have a wanted name. */
  get marks(): number {
    return this.desk.report[0]!;
  }

  /** The row in the columns of a marked instance. */
  rowOf(mark: number): number {
    return this.desk.marked[mark]!;
  }

  /** The number of the name that a marked instance has by its hash; the number of names for a complex instance. */
  nameOf(mark: number): number {
    return this.desk.named[mark]!;
  }
}
