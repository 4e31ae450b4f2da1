import { linkSync, mkdtempSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { Move, Swap, SwapHooks, isTorn } from '../src/changes/swap';
import { DiskStore, hashOf } from '../src/platform/store';

/** Simulates a kill: nothing after it runs. */
class Kill extends Error {}

/** Files with distinct texts, and a change with new texts for all and new names for some. */
async function folderOf(finals: readonly number[], linked: readonly boolean[], sameText: readonly boolean[]) {
  const root = mkdtempSync(join(tmpdir(), 'rule-swap-'));
  const store = new DiskStore(join(root, 'store'));
  const at = (n: number) => join(root, `${n}.txt`);
  const moves: Move[] = [];
  const texts = finals.map((_final, n) => ({ old: `old ${n} ${'x'.repeat(n * 700)}`, fresh: sameText[n] ? `old ${n} ${'x'.repeat(n * 700)}` : `new ${n}` }));
  for (const [n, final] of finals.entries()) {
    writeFileSync(at(n), texts[n]!.old);
    if (linked[n]) linkSync(at(n), join(root, `link ${n}`));
    const [oldHash, newHash] = [await store.put(Buffer.from(texts[n]!.old)), await store.put(Buffer.from(texts[n]!.fresh))];
    moves.push({ changeSet: 1, file: n + 1, target: at(n), final: at(final), oldHash, newHash, inPlace: false });
  }
  return { root, store, at, moves, texts, inodes: finals.map((_final, n) => statSync(at(n)).ino) };
}

/** Hooks that kill at the n-th point, and record the journal. */
function hooksThatKill(at: number, journal: Map<number, boolean>, cancelAt = Infinity): SwapHooks {
  let points = 0;
  const point = () => {
    if (++points === at) throw new Kill();
  };
  return {
    staged: (moves) => {
      point();
      for (const { file, inPlace } of moves) journal.set(file, inPlace);
      return Promise.resolve();
    },
    check: point,
    cancelled: () => points >= cancelAt,
    at: () => {
      point();
      return Promise.resolve();
    },
    progress: () => undefined,
  };
}

/** Any renaming to existing or new names, each used once: cycles, chains, unchanged files. */
const renaming = fc.integer({ min: 1, max: 6 }).chain((count) =>
  fc.record({
    finals: fc.shuffledSubarray(
      Array.from({ length: count + 2 }, (_, n) => n),
      { minLength: count, maxLength: count },
    ),
    linked: fc.array(fc.boolean(), { minLength: count, maxLength: count }),
    sameText: fc.array(fc.boolean(), { minLength: count, maxLength: count }),
    kills: fc.array(fc.integer({ min: 1, max: 40 }), { maxLength: 3 }),
    whole: fc.boolean(),
  }),
);

describe('files that get new versions and names', () => {
  it('are all there afterwards, however often the work is killed', async () => {
    await fc.assert(
      fc.asyncProperty(renaming, async ({ finals, linked, sameText, kills, whole }) => {
        const { root, store, at, moves, texts, inodes } = await folderOf(finals, linked, sameText);
        try {
          const journal = new Map<number, boolean>();
          for (const kill of [...kills, Infinity]) {
            // Each attempt knows only the journal and the disk.
            const fresh = moves.map((move) => ({ ...move, inPlace: journal.get(move.file) ?? false }));
            const swap = new Swap(store);
            try {
              const { arrived, failed } = await swap.forward(fresh, whole, hooksThatKill(kill, journal));
              expect([arrived.length, failed.size]).toEqual([moves.length, 0]);
              await swap.clear(fresh);
              break;
            } catch (error) {
              if (!(error instanceof Kill)) throw error;
            }
          }
          for (const [n, final] of finals.entries()) {
            expect(readFileSync(at(final), 'utf8')).toBe(texts[n]!.fresh);
            if (linked[n]) expect(statSync(at(final)).ino).toBe(inodes[n]);
          }
          expect(readdirSync(root).filter((name) => name.startsWith('.rule'))).toEqual([]);
        } finally {
          rmSync(root, { recursive: true });
        }
      }),
      { numRuns: 150 },
    );
  }, 300_000);

  it('go back whole where one of them fails, and only those that depend on its name otherwise', async () => {
    await fc.assert(
      fc.asyncProperty(renaming, fc.nat(), async ({ finals, linked, sameText, whole }, which) => {
        const { root, store, at, moves, texts } = await folderOf(finals, linked, sameText);
        try {
          const victim = which % moves.length;
          writeFileSync(at(victim), 'changed by somebody else');
          const swap = new Swap(store);
          const { arrived, failed, elsewhere } = await swap.forward(moves, whole, hooksThatKill(Infinity, new Map()));
          await swap.clear(moves);
          expect([failed.has(moves[victim]!), elsewhere.size]).toEqual([true, 0]);
          if (whole) expect(arrived).toEqual([]);
          for (const [n, move] of moves.entries()) {
            const text = n === victim ? 'changed by somebody else' : arrived.includes(move) ? texts[n]!.fresh : texts[n]!.old;
            expect(readFileSync(arrived.includes(move) ? move.final : move.target, 'utf8')).toBe(text);
          }
          // Files whose names are not linked to the failed one are written in mode file by file.
          if (!whole) for (const move of moves) if (move.final === move.target && move !== moves[victim]) expect(arrived).toContain(move);
          expect(readdirSync(root).filter((name) => name.startsWith('.rule'))).toEqual([]);
        } finally {
          rmSync(root, { recursive: true });
        }
      }),
      { numRuns: 100 },
    );
  }, 300_000);

  it('get a name like their own where somebody took it while they had given it up', async () => {
    const { root, store, at, moves } = await folderOf([1, 0, 2], [false, false, false], [false, false, false]);
    let aside = 0;
    const hooks: SwapHooks = {
      ...hooksThatKill(Infinity, new Map()),
      // Someone saves a file under a briefly free name.
      at: (step) => {
        if (step === 'set aside one' && ++aside === 2) writeFileSync(at(0), 'somebody else');
        return Promise.resolve();
      },
    };
    const { arrived, failed, elsewhere } = await new Swap(store).forward(moves, false, hooks);
    expect(arrived.map((move) => move.file)).toEqual([3]);
    expect([...failed.keys()].map((move) => move.file).sort()).toEqual([1, 2]);
    expect(readFileSync(at(0), 'utf8')).toBe('somebody else');
    expect(readFileSync(elsewhere.get(moves[0]!)!, 'utf8')).toMatch(/^old 0/);
    expect(readFileSync(at(1), 'utf8')).toMatch(/^old 1/);
    rmSync(root, { recursive: true });
  });

  it('that nobody came to before the work was cancelled keep their old versions', async () => {
    for (const whole of [true, false]) {
      const { root, store, at, moves } = await folderOf([0, 1, 2, 3], [false, false, false, false], [false, false, false, false]);
      let written = 0;
      const hooks: SwapHooks = {
        ...hooksThatKill(Infinity, new Map()),
        cancelled: () => written >= 2,
        progress: (done) => (written = done),
      };
      const { arrived, failed } = await new Swap(store).forward(moves, whole, hooks);
      await new Swap(store).clear(moves);
      expect(arrived.length).toBe(whole ? 0 : 2);
      expect(String([...failed.values()][0])).toContain('Cancelled');
      for (const [n, move] of moves.entries()) expect(readFileSync(at(n), 'utf8')).toMatch(arrived.includes(move) ? /^new/ : /^old/);
      rmSync(root, { recursive: true });
    }
  });
});

describe('very many files', () => {
  const MANY = 100;
  const keeping = Array.from({ length: MANY }, (_, n) => n);
  const none = keeping.map(() => false);
  /** One of them is changed by another program while they are staged. */
  const disturbed = (changed: string): SwapHooks => ({
    ...hooksThatKill(Infinity, new Map()),
    staged: () => {
      writeFileSync(changed, 'somebody else');
      return Promise.resolve();
    },
  });

  it('take their places several at once: the others where one cannot, or none', async () => {
    for (const whole of [false, true]) {
      const linked = keeping.map((n) => n === 40);
      const { root, store, at, moves } = await folderOf(keeping, linked, none);
      const { arrived, failed } = await new Swap(store).forward(moves, whole, disturbed(at(50)), false);
      await new Swap(store).clear(moves);
      expect([arrived.length, [...failed.keys()].map((move) => move.target)]).toEqual([whole ? 0 : MANY - 1, [at(50)]]);
      for (const n of keeping) expect(readFileSync(at(n), 'utf8')).toMatch(n === 50 ? /^somebody else/ : whole ? /^old/ : /^new/);
      expect(readdirSync(root).filter((name) => name.startsWith('.rule'))).toEqual([]);
      rmSync(root, { recursive: true });
    }
  });

  it('are all there when the work goes on after it was killed among them', async () => {
    const { root, store, at, moves } = await folderOf(keeping, none, none);
    const journal = new Map<number, boolean>();
    for (const kill of [3, 70, 150, 201, 230, Infinity])
      try {
        const { arrived } = await new Swap(store).forward(moves, true, hooksThatKill(kill, journal));
        expect(arrived).toHaveLength(MANY);
      } catch (error) {
        if (!(error instanceof Kill)) throw error;
      }
    await new Swap(store).clear(moves);
    for (const n of keeping) expect(readFileSync(at(n), 'utf8')).toMatch(/^new/);
    expect(readdirSync(root).filter((name) => name.startsWith('.rule'))).toEqual([]);
    rmSync(root, { recursive: true });
  });
});

describe('a file that was half written in place', () => {
  const old = Buffer.alloc(3000, 'a');
  const fresh = Buffer.alloc(2500, 'b');
  it('is known by its pieces', () => {
    const half = Buffer.concat([fresh.subarray(0, 1024), old.subarray(1024)]);
    expect([isTorn(half, old, fresh), isTorn(old, old, fresh), isTorn(fresh, old, fresh)]).toEqual([true, true, true]);
    expect(isTorn(Buffer.concat([half, Buffer.from('c')]), old, fresh)).toBe(false);
    expect(isTorn(Buffer.from('somebody else wrote this'), old, fresh)).toBe(false);
  });
  it('is finished, and what somebody else wrote is left alone', async () => {
    const { root, store, at, moves } = await folderOf([0, 1], [true, true], [false, false]);
    const [first, second] = [readFileSync(at(1)), Buffer.from('somebody else')];
    const journal = moves.map((move) => ({ ...move, inPlace: true }));
    const torn = Buffer.concat([Buffer.from('new 1'), first.subarray(5)]);
    // Chunks have disk write size: this file is shorter, so it is never half written.
    expect(isTorn(torn, first, Buffer.from('new 1'))).toBe(false);
    writeFileSync(at(0), second);
    const { arrived, failed } = await new Swap(store).forward(journal, false, hooksThatKill(Infinity, new Map()));
    expect([arrived.map((move) => move.file), [...failed.keys()].map((move) => move.file)]).toEqual([[2], [1]]);
    expect(readFileSync(at(0)).equals(second)).toBe(true);
    expect(hashOf(readFileSync(at(1)))).toBe(moves[1]!.newHash);
    rmSync(root, { recursive: true });
  });
});
