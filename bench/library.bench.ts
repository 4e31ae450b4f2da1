import { fork } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { readFile, readdir, stat } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeLargeLibrary } from './large';
import { best, report } from './measure';
import { openServices } from './services';

/** One first scan in a separate process, to measure peak memory. */
if (process.argv[2] === 'survey') {
  const { services, close } = await openServices();
  await services.libraries.add('Large', process.argv[3]!);
  await services.scanner.rescan();
  const peak = process.resourceUsage().maxRSS / 1024;
  await close();
  process.send!(peak);
  process.disconnect();
} else await main();

async function pathsBelow(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { withFileTypes: true, recursive: true });
  return entries.filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name));
}

async function peakOf(folder: string): Promise<number> {
  const child = fork(import.meta.filename, ['survey', folder], { execArgv: ['--import', 'tsx'] });
  return new Promise((done, fail) => {
    child.once('message', (peak) => done(peak as number));
    child.once('exit', (code) => code && fail(new Error(`the survey ended with ${code}`)));
  });
}

async function main(): Promise<void> {
  const FILES = 10_000;
  const large = mkdtempSync(join(tmpdir(), 'rule-large-'));
  const small = mkdtempSync(join(tmpdir(), 'rule-small-'));
  try {
    const bytes = writeLargeLibrary(large, FILES);
    writeLargeLibrary(small, FILES / 10);
    const megabytes = bytes / 1e6;

    const readAndHash = async () => {
      for (const path of await pathsBelow(large))
        createHash('sha256')
          .update(await readFile(path))
          .digest('hex');
    };
    // Alternating, so both see the same machine load.
    let [floor, first] = [Infinity, Infinity];
    for (let run = 0; run < 5; run++) {
      const { services, close } = await openServices();
      // Warms up the worker threads with a small library.
      await services.libraries.add('Small', small);
      await services.scanner.rescan();
      const id = await services.libraries.add('Large', large);
      floor = Math.min(floor, (await best('', 1, readAndHash)).ms);
      const began = performance.now();
      const { added, failed } = await services.scanner.rescan(undefined, id);
      first = Math.min(first, performance.now() - began);
      if (added !== FILES || failed.length) throw new Error(`${added} files read, ${failed.length} failed`);
      await close();
    }
    report(
      `First survey of ${FILES} files, ${megabytes.toFixed(0)} MB (geometry apart)`,
      [
        { what: 'reading and hashing every file, one after the other: the floor', ms: floor },
        { what: 'first survey: read, hashed, stored, classed, matched, counted', ms: first },
      ],
      megabytes,
    );

    const { services, close } = await openServices();
    await services.libraries.add('Large', large);
    await services.scanner.rescan();
    const listed = await best('listing and stat of every file: the floor', 5, async () => {
      await Promise.all((await pathsBelow(large)).map((path) => stat(path)));
    });
    const again = await best('rescan: nothing has changed', 5, async () => {
      const { unchanged } = await services.scanner.rescan();
      if (unchanged !== FILES) throw new Error(`${unchanged} unchanged`);
    });
    await close();
    report(`Rescan of an unchanged library of ${FILES} files`, [listed, again]);

    const [thousand, tenThousand] = [await peakOf(small), await peakOf(large)];
    console.log(`### Peak memory of a first survey\n\n| | MB | ratio |\n|---|---:|---:|`);
    console.log(
      `| ${FILES / 10} files: the floor | ${thousand.toFixed(0)} | 1.00 |\n| ${FILES} files | ${tenThousand.toFixed(0)} | ${(tenThousand / thousand).toFixed(2)} |\n`,
    );
  } finally {
    rmSync(large, { recursive: true });
    rmSync(small, { recursive: true });
  }
}
