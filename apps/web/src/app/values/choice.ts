import { FileChoice, FileFilter } from '@rule/contract';

/** Numbers as ranges: `1-4,9`. */
export function rangesOf(ids: readonly number[]): string {
  const sorted = [...ids].sort((a, b) => a - b);
  const parts: string[] = [];
  for (let i = 0; i < sorted.length;) {
    let j = i;
    while (j + 1 < sorted.length && sorted[j + 1] === sorted[j]! + 1) j++;
    parts.push(j === i ? `${sorted[i]}` : `${sorted[i]}-${sorted[j]}`);
    i = j + 1;
  }
  return parts.join(',');
}

/** Maximum files in a URL. */
const MOST = 5000;

/** Numbers in ranges; invalid parts are skipped. */
export function idsOf(ranges: string): number[] {
  const ids = new Set<number>();
  for (const part of ranges.split(',')) {
    const match = /^(\d{1,9})(?:-(\d{1,9}))?$/.exec(part.trim());
    if (!match) continue;
    const [from, to] = [Number(match[1]), Number(match[2] ?? match[1])];
    for (let id = from; id <= to && ids.size < MOST; id++) if (id > 0) ids.add(id);
  }
  return [...ids];
}

/** The file selection in a URL: `files:1-4,9`, `assembly:12`, `assembly-deep:12`, or `filter` for the other parameters. `null` for none. */
export function choiceOf(text: string, filter: FileFilter, without: string | undefined): FileChoice | null {
  const left = without ? { without: without.split('|') } : {};
  if (text === 'filter') return { filter, ...left };
  const [kind, rest = ''] = text.split(':');
  const ids = idsOf(rest);
  if (ids.length === 0) return null;
  if (kind === 'files') return { files: ids, ...left };
  if (kind === 'assembly' || kind === 'assembly-deep') return { assembly: { file: ids[0]!, deep: kind === 'assembly-deep' }, ...left };
  return null;
}
