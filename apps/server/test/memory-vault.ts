import { createHash } from 'node:crypto';
import { VaultDefinition, VaultField, VaultTableRow, whyNotTaken } from '@rule/core/vault';
import { AppError } from '../src/platform/problem';
import { Addition, RULE_USER, RecordChanges, VaultEntry, VaultPort, VaultVersion } from '../src/vault/port';

const refuse = (message: string): never => {
  throw new AppError(409, 'vault-refused', `The vault refused: ${message}`);
};

interface Kept extends Omit<VaultEntry, 'record'> {
  record: Record<string, string>;
  readonly bytes: Uint8Array;
  readonly older: readonly VaultVersion[];
}

/** A second vault implementation, in memory, so that the contract is not just the stand-in's behaviour. */
export class MemoryVault implements VaultPort {
  private readonly files = new Map<number, Kept>();
  private rows: readonly VaultTableRow[] = [];

  constructor(private fieldList: VaultField[]) {}

  definition(): Promise<VaultDefinition> {
    const steps = [{ name: 'release', from: 'open', to: 'released', sets: [] }];
    return Promise.resolve({ fields: [...this.fieldList], systemFields: ['State'], states: ['open', 'in check', 'released'], steps, mayDefine: true });
  }
  private entryOf({ bytes: _, older: __, record, ...rest }: Kept): VaultEntry {
    void _;
    void __;
    return { ...rest, record: { ...record, State: rest.state } };
  }
  private kept(id: number): Kept {
    return this.files.get(id) ?? refuse(`there is no file ${id}`);
  }
  private put(id: number, change: Partial<Kept>): VaultEntry {
    const file = { ...this.kept(id), ...change };
    this.files.set(id, file);
    return this.entryOf(file);
  }
  private changed({ kind, record }: Pick<Kept, 'kind' | 'record'>, changes: RecordChanges): Record<string, string> {
    const after = { ...record };
    for (const [name, value] of Object.entries(changes)) {
      const why = whyNotTaken({ fields: this.fieldList, systemFields: ['State'] }, name, kind, value);
      if (why !== null && !(value === null && record[name] === undefined)) refuse(why);
      if (value === null || value === '') delete after[name];
      else after[name] = value;
    }
    return after;
  }
  private writable(id: number): Kept {
    const file = this.kept(id);
    if (file.state === 'released') refuse('the file is released');
    if (file.checkedOutBy !== null && file.checkedOutBy !== RULE_USER) refuse(`the file is checked out by ${file.checkedOutBy}`);
    return file;
  }

  entries(paths?: readonly string[]): Promise<VaultEntry[]> {
    return Promise.resolve([...this.files.values()].filter((file) => !paths || paths.includes(file.path)).map((file) => this.entryOf(file)));
  }
  async saveField(name: string | null, field: VaultField): Promise<void> {
    for (const { record, path } of this.files.values()) {
      const value = name === null ? undefined : record[name];
      const why = value === undefined || field.retired ? null : whyNotTaken({ fields: [field], systemFields: [] }, field.name, 'part', value);
      if (why !== null) refuse(`${path}: ${why}`);
    }
    this.fieldList = name === null ? [...this.fieldList, field] : this.fieldList.map((other) => (other.name === name ? field : other));
    return Promise.resolve();
  }
  table(): Promise<VaultTableRow[]> {
    return Promise.resolve([...this.rows]);
  }
  saveTable(rows: readonly VaultTableRow[]): Promise<void> {
    this.rows = rows;
    return Promise.resolve();
  }
  versions(id: number): Promise<VaultVersion[]> {
    return Promise.resolve([...this.kept(id).older, { version: this.kept(id).version, hash: this.kept(id).hash }]);
  }
  content(id: number): Promise<Uint8Array> {
    return Promise.resolve(this.kept(id).bytes);
  }
  async checkOut(id: number): Promise<VaultEntry> {
    this.writable(id);
    return Promise.resolve(this.put(id, { checkedOutBy: RULE_USER, checkedOutAt: new Date().toISOString() }));
  }
  async undoCheckOut(id: number): Promise<VaultEntry> {
    if (this.kept(id).checkedOutBy !== RULE_USER) refuse(`the file is not checked out by ${RULE_USER}`);
    return Promise.resolve(this.put(id, { checkedOutBy: null, checkedOutAt: null }));
  }
  async checkIn(id: number, bytes: Uint8Array, _comment: string, record: RecordChanges): Promise<VaultEntry> {
    const file = this.kept(id);
    if (file.checkedOutBy !== RULE_USER) refuse(`the file is not checked out by ${RULE_USER}`);
    const after = this.changed(file, record);
    const hash = createHash('sha256').update(bytes).digest('hex');
    return Promise.resolve(
      this.put(id, { bytes, hash, older: await this.versions(id), record: after, version: file.version + 1, checkedOutBy: null, checkedOutAt: null }),
    );
  }
  async writeRecord(id: number, record: RecordChanges): Promise<VaultEntry> {
    return Promise.resolve(this.put(id, { record: this.changed(this.writable(id), record) }));
  }
  async add({ path, kind, class: className, record }: Addition, bytes: Uint8Array): Promise<VaultEntry> {
    if ([...this.files.values()].some((file) => file.path === path)) refuse(`${path} is in the vault already`);
    const initial = Object.fromEntries(
      this.fieldList.flatMap((field) =>
        field.initial !== null && (field.kinds.length === 0 || field.kinds.includes(kind)) ? [[field.name, field.initial]] : [],
      ),
    );
    const now = new Date().toISOString();
    const id = this.files.size + 1;
    this.files.set(id, {
      id,
      path,
      kind,
      class: className,
      bytes,
      older: [],
      version: 1,
      hash: createHash('sha256').update(bytes).digest('hex'),
      versionBy: RULE_USER,
      versionAt: now,
      state: 'open',
      stateBy: RULE_USER,
      stateAt: now,
      checkedOutBy: null,
      checkedOutAt: null,
      record: this.changed({ kind, record: initial }, record),
    });
    return Promise.resolve(this.entryOf(this.kept(id)));
  }

  /** Actions of another user. */
  elsewhere(id: number, change: Partial<Pick<Kept, 'state' | 'checkedOutBy'>>): void {
    this.put(id, { ...change, checkedOutAt: change.checkedOutBy ? new Date().toISOString() : null });
  }
}
