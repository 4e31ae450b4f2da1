/** A measurement with its description and ratio. */
export interface Measured {
  readonly what: string;
  readonly ms: number;
}

/** Best of several runs, the least disturbed. */
export async function best(what: string, runs: number, work: () => unknown): Promise<Measured> {
  let ms = Infinity;
  for (let run = 0; run < runs; run++) {
    const began = performance.now();
    await work();
    ms = Math.min(ms, performance.now() - began);
  }
  return { what, ms };
}

/** Prints times as ratios to the first row, the floor. */
export function report(title: string, rows: readonly Measured[], megabytes?: number): void {
  const floor = rows[0]!.ms;
  console.log(`### ${title}\n`);
  console.log(`| | ms | ratio${megabytes === undefined ? '' : ' | MB/s'} |`);
  console.log(`|---|---:|---:${megabytes === undefined ? '' : '|---:'}|`);
  for (const { what, ms } of rows)
    console.log(`| ${what} | ${ms.toFixed(0)} | ${(ms / floor).toFixed(2)}${megabytes === undefined ? '' : ` | ${((megabytes * 1000) / ms).toFixed(0)}`} |`);
  console.log('');
}
