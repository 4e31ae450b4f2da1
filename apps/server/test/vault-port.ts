import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { createHash } from 'node:crypto';
import { VaultEntry, VaultPort } from '../src/vault/port';

/** A vault under test, with actions behind its back. */
export interface HeldVault {
  readonly port: VaultPort;
  /** Another user checks out, or releases. */
  checkOutElsewhere(id: number, out: boolean): Promise<void>;
  release(id: number): Promise<void>;
  close(): Promise<void>;
}

const hashOf = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
const bytes = (text: string) => new TextEncoder().encode(text);

/**
 * The contract of every vault adapter. The vault has a text field Title (40 characters), a required text field Number, and a list Grade (A,
 * B) for parts with initial value A.
 */
export function vaultContract(name: string, open: () => Promise<HeldVault>): void {
  describe(`the vault port: ${name}`, () => {
    let vault: HeldVault;
    let port: VaultPort;
    beforeEach(async () => {
      vault = await open();
      port = vault.port;
    });
    afterEach(() => vault.close());
    const add = (path = 'a/b.step', text = 'one', record: Record<string, string> = { Number: 'N-1' }): Promise<VaultEntry> =>
      port.add({ path, kind: 'part', class: null, comment: 'first', record }, bytes(text));
    const refusal = (work: Promise<unknown>) =>
      work.then(
        () => 'done',
        (error: unknown) => (error as { code?: string }).code,
      );

    it('defines its fields, and says what it keeps itself', async () => {
      const { fields, systemFields, states, steps } = await port.definition();
      expect(fields.find((field) => field.name === 'Title')).toMatchObject({ type: 'text', length: 40, required: false });
      expect(fields.find((field) => field.name === 'Grade')).toMatchObject({ type: 'list', choices: ['A', 'B'], initial: 'A', kinds: ['part'] });
      expect(fields.filter((field) => systemFields.includes(field.name))).toEqual([]);
      for (const step of steps) expect([states.includes(step.from), states.includes(step.to)]).toEqual([true, true]);
    });
    it('adds a file once, with initial values, and hands out its bytes and their hash', async () => {
      const entry = await add();
      expect(entry).toMatchObject({ path: 'a/b.step', kind: 'part', version: 1, state: 'open', checkedOutBy: null, hash: hashOf(bytes('one')) });
      expect(entry.record).toMatchObject({ Number: 'N-1', Grade: 'A' });
      expect(Buffer.from(await port.content(entry.id)).toString()).toBe('one');
      expect(await refusal(add())).toBe('vault-refused');
      expect(await port.entries(['a/b.step'])).toEqual([entry]);
    });
    it('lists all files, or those of some paths, each once', async () => {
      await add();
      await add('c.step');
      expect((await port.entries()).map((entry) => entry.path).sort()).toEqual(['a/b.step', 'c.step']);
      expect((await port.entries(['c.step', 'not there.step'])).map((entry) => entry.path)).toEqual(['c.step']);
      expect(await port.entries([])).toEqual([]);
    });
    it('takes a version and its record together, from who has the file out alone', async () => {
      const { id } = await add();
      expect(await refusal(port.checkIn(id, bytes('two'), '', {}))).toBe('vault-refused');
      const out = await port.checkOut(id);
      expect(out.checkedOutBy).not.toBeNull();
      // The first check-out wins.
      expect((await port.checkOut(id)).checkedOutBy).toBe(out.checkedOutBy);
      const after = await port.checkIn(id, bytes('two'), 'second', { Title: 'Plate' });
      expect(after).toMatchObject({ version: 2, hash: hashOf(bytes('two')), checkedOutBy: null });
      expect(after.record['Title']).toBe('Plate');
      expect(await port.versions(id)).toEqual([
        { version: 1, hash: hashOf(bytes('one')) },
        { version: 2, hash: hashOf(bytes('two')) },
      ]);
    });
    it('takes nothing of a check-in whose record it refuses', async () => {
      const { id } = await add();
      await port.checkOut(id);
      for (const record of [{ Title: 'x'.repeat(41) }, { Grade: 'C' }, { Colour: 'red' }, { Number: null }] as Record<string, string | null>[])
        expect(await refusal(port.checkIn(id, bytes('two'), '', record))).toBe('vault-refused');
      const [after] = await port.entries(['a/b.step']);
      expect(after).toMatchObject({ version: 1, hash: hashOf(bytes('one')) });
      expect(after!.record['Number']).toBe('N-1');
    });
    it('changes a record without a new version, and empties a field that may be empty', async () => {
      const { id } = await add('a/b.step', 'one', { Number: 'N-1', Title: 'Plate' });
      const after = await port.writeRecord(id, { Title: null, Grade: 'B' });
      expect([after.version, after.record['Title'], after.record['Grade']]).toEqual([1, undefined, 'B']);
      expect(await refusal(port.writeRecord(id, { Grade: 'C' }))).toBe('vault-refused');
    });
    it('keeps everybody else out while one has a file out', async () => {
      const { id } = await add();
      await vault.checkOutElsewhere(id, true);
      for (const work of [() => port.checkOut(id), () => port.undoCheckOut(id), () => port.writeRecord(id, { Title: 'x' })])
        expect(await refusal(work())).toBe('vault-refused');
      expect((await port.entries(['a/b.step']))[0]).toMatchObject({ checkedOutBy: expect.any(String), checkedOutAt: expect.any(String) });
      await vault.checkOutElsewhere(id, false);
      await port.checkOut(id);
      expect((await port.undoCheckOut(id)).checkedOutBy).toBeNull();
    });
    it('keeps a released file as it is, and says since when', async () => {
      const { id } = await add();
      await vault.release(id);
      for (const work of [() => port.checkOut(id), () => port.writeRecord(id, { Title: 'x' })]) expect(await refusal(work())).toBe('vault-refused');
      expect((await port.entries(['a/b.step']))[0]).toMatchObject({ state: 'released', stateBy: expect.any(String), stateAt: expect.any(String) });
    });
    it('makes and changes fields, where records allow it', async () => {
      const definition = await port.definition();
      const grade = definition.fields.find((field) => field.name === 'Grade')!;
      const { id } = await add();
      expect(await refusal(port.saveField('Grade', { ...grade, choices: ['B'], initial: 'B' }))).toBe('vault-refused');
      await port.saveField('Grade', { ...grade, choices: ['A', 'B', 'C'] });
      expect((await port.writeRecord(id, { Grade: 'C' })).record['Grade']).toBe('C');
      await port.saveField(null, { ...grade, name: 'Shop', type: 'text', choices: [], initial: null, length: 10 });
      expect((await port.definition()).fields.find((field) => field.name === 'Shop')).toMatchObject({ type: 'text', length: 10 });
      await port.saveField('Shop', { ...grade, name: 'Shop', type: 'text', choices: [], initial: null, retired: true });
      expect(await refusal(port.writeRecord(id, { Shop: 'x' }))).toBe('vault-refused');
    });
    it('hands out its own link table, and takes it back', async () => {
      await port.saveTable([{ field: 'Title', kind: 'part', name: 'Description ' }]);
      expect(await port.table()).toEqual([{ field: 'Title', kind: 'part', name: 'Description ' }]);
    });
  });
}
