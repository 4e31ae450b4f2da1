import { NameLikeness, Passing, Property, compareNames } from '../schema';

/** The next check-in's action for a link: none as both are equal, pass in, pass out, ask, or leave both. */
export interface Decision {
  readonly action: 'equal' | 'in' | 'out' | 'ask' | 'stays';
  readonly reason: string;
}

const isBlank = (value: string | null) => value === null || value === '';

/**
 * Decides what happens to a link's two values. A blank never replaces a value without asking. If one side never passes and the other always
 * does, the other leads: it also replaces changes made only here.
 * @param agreed the last agreed value; `undefined` if never. Then a blank side counts as unchanged
 */
export function decide(link: Passing, file: string | null, record: string | null, agreed: string | null | undefined): Decision {
  if (file === record || (isBlank(file) && isBlank(record))) return { action: 'equal', reason: 'file and record are equal' };
  if (link.in === 'never' && link.out === 'never') return { action: 'stays', reason: 'the link passes no values' };
  const differs = (value: string | null) => (agreed === undefined ? !isBlank(value) : value !== agreed && !(isBlank(value) && isBlank(agreed)));
  const passing = (action: 'in' | 'out', reason: string): Decision => {
    const [from, to, source, target] = action === 'in' ? [file, record, 'file', 'record'] : [record, file, 'record', 'file'];
    if (isBlank(from) && !isBlank(to)) return { action: 'ask', reason: `the ${source} is blank and would erase the value in the ${target}` };
    return { action, reason };
  };
  const fileChanged = differs(file);
  const recordChanged = differs(record);
  if (fileChanged && recordChanged) {
    const both = agreed === undefined ? 'both hold a value but never agreed' : 'both changed since they last agreed';
    if (link.onClash === 'ask') return { action: 'ask', reason: both };
    return link.onClash === "take the file's" ? passing('in', `${both}; the file's value is used`) : passing('out', `${both}; the record's value is used`);
  }
  const into = fileChanged;
  const [passes, target, direction] = into ? ([link.in, record, 'in'] as const) : ([link.out, file, 'out'] as const);
  const changed = into ? 'the file changed' : 'the record changed';
  if (passes === 'always' || (passes === 'when blank' && isBlank(target))) return passing(direction, changed);
  // The leading side replaces changes made only on the other, or they would differ forever.
  const [back, leader, led] = into ? ([link.out, record, 'record'] as const) : ([link.in, file, 'file'] as const);
  if (passes === 'never' && back === 'always')
    return isBlank(leader)
      ? { action: 'stays', reason: `${changed}; the ${led} leads, but is blank` }
      : { action: into ? 'out' : 'in', reason: `${changed}, but the ${led} leads` };
  return { action: 'stays', reason: passes === 'never' ? `${changed}, but the link never passes ${direction}` : `${changed}, but the other side is not blank` };
}

/** A row of the vault's link table: the name it expects in a kind of file. */
export interface VaultTableRow {
  readonly field: string;
  readonly kind: string;
  readonly name: string;
}

/** How a row of the vault's table matches existing names. */
export interface TableFinding {
  readonly row: VaultTableRow;
  /** `renamed` if it uses a previous name or known spelling. */
  readonly state: 'exact' | 'alike' | 'renamed' | 'unknown';
  readonly nearest: string | null;
  readonly likeness: NameLikeness;
  readonly message: string;
}

/** Compares the names a vault's link table expects with the schema's written names, exactly. */
export function compareVaultTable(rows: readonly VaultTableRow[], properties: readonly Pick<Property, 'writtenName' | 'knownSpellings'>[]): TableFinding[] {
  const writtenNames = properties.map((property) => property.writtenName);
  return rows.map((row) => {
    if (writtenNames.includes(row.name)) return { row, state: 'exact', nearest: row.name, likeness: 'same', message: 'uses exactly the written name' };
    for (const name of writtenNames) {
      const likeness = compareNames(name, row.name);
      if (likeness !== 'different')
        return {
          row,
          state: 'alike',
          nearest: name,
          likeness,
          message: `asks for ${JSON.stringify(row.name)}; files hold ${JSON.stringify(name)}: they differ in ${likeness}, so the vault finds no value`,
        };
    }
    const known = properties.find((property) => property.knownSpellings.includes(row.name));
    if (known)
      return {
        row,
        state: 'renamed',
        nearest: known.writtenName,
        likeness: 'different',
        message: `asks for ${JSON.stringify(row.name)}; the schema calls it ${JSON.stringify(known.writtenName)} now, so the vault finds no value in files that are up to date`,
      };
    return { row, state: 'unknown', nearest: null, likeness: 'different', message: `asks for ${JSON.stringify(row.name)}, which is not in the schema` };
  });
}
