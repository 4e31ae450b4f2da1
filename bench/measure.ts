/** One measured row: what was done, how long it took, and against which floor. */
export interface Measured {
  readonly what: string;
  readonly ms: number;
}

/** The best of several runs: the one that the rest of the machine disturbed least. */
export async function best(what: string, runs: number, work: () => unknown): Promise<Measured> {
  let ms = Infinity;
  for (let run = 0; run < runs; run++) {
    const began = performance.now();
    await work();
    ms = Math.min(ms, performance.now() - began);
  }
  return { what, ms };
}

/** Prints a table of times as ratios against the first row, the floor. */
export function report(title: string, rows: readonly Measured[], megabytes?: number): void {
  const floor = rows[0]!.ms;
  console.log(`### ${title}\n`);
  console.log(`| | ms | ratio${megabytes === undefined ? '' : ' | MB/s'} |`);
  console.log(`|---|---:|---:${megabytes === undefined ? '' : '|---:'}|`);
  for (const { what, ms } of rows)
    console.log(`| ${what} | ${ms.toFixed(0)} | ${(ms / floor).toFixed(2)}${megabytes === undefined ? '' : ` | ${((megabytes * 1000) / ms).toFixed(0)}`} |`);
  console.log('');
}
