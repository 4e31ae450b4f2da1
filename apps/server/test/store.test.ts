import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { syncAll } from '../src/platform/durable';
import { DiskStore, ThreadStore, hashOf } from '../src/platform/store';

let root: string;
beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), 'rule-store-'));
});
afterEach(() => rmSync(root, { recursive: true, force: true }));

const bytesOf = (text: string) => new TextEncoder().encode(text);
const files = () => readdirSync(root, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile());

describe('versions written aside', () => {
  it('are versions only when they are kept: many at once, equal ones once, and once more without harm', async () => {
    const [thread, disk] = [new ThreadStore(root), new DiskStore(root)];
    const texts = Array.from({ length: 150 }, (_, i) => `version ${i % 100}`);
    const put = texts.map((text) => thread.putAside(bytesOf(text)));
    expect(put.map(({ hash }) => hash)).toEqual(texts.map((text) => hashOf(bytesOf(text))));
    expect(files()).toHaveLength(100);
    await expect(disk.get(put[0]!.hash)).rejects.toThrow(/ENOENT/);
    const waiting = put.flatMap((entry) => entry.waiting);
    expect(waiting).toHaveLength(150);
    await disk.keep(waiting);
    for (const { hash } of put) expect(hashOf(await disk.get(hash))).toBe(hash);
    expect(files()).toHaveLength(100);
    expect(thread.putAside(bytesOf('version 7')).waiting).toEqual([]);
    // Somebody else has kept the same version: what waited is gone, and nothing is missing.
    await new DiskStore(root).keep([]);
    const again = [{ hash: put[0]!.hash, aside: waiting[0]!.aside }];
    writeFileSync(again[0]!.aside, bytesOf(texts[0]!));
    await disk.keep(again);
    expect(files()).toHaveLength(100);
  });

  it('that are not wanted leave nothing, and can be written again', async () => {
    const [thread, disk] = [new ThreadStore(root), new DiskStore(root)];
    const { waiting } = thread.putAside(bytesOf('unwanted'));
    await disk.forget(waiting);
    expect(files()).toEqual([]);
    const again = thread.putAside(bytesOf('unwanted'));
    expect(again.waiting[0]!.aside).not.toBe(waiting[0]!.aside);
    await disk.keep(again.waiting);
    expect(await disk.get(again.hash)).toEqual(Buffer.from('unwanted'));
  });

  it('of which one is lost are not taken for kept', async () => {
    const [thread, disk] = [new ThreadStore(root), new DiskStore(root)];
    const { waiting } = thread.putAside(bytesOf('lost'));
    rmSync(waiting[0]!.aside);
    await expect(disk.keep(waiting)).rejects.toThrow(/ENOENT/);
    expect(existsSync(waiting[0]!.aside)).toBe(false);
  });
});

it('many files and few are synced, and one that is not there is an error', async () => {
  const paths = Array.from({ length: 100 }, (_, i) => join(root, String(i)));
  for (const path of paths) writeFileSync(path, 'x');
  await syncAll(paths);
  await syncAll(paths.slice(0, 3));
  await syncAll([]);
  await expect(syncAll([join(root, 'gone')])).rejects.toThrow(/ENOENT/);
});
