import { Line, addressKey } from '@rule/core/changes';
import { Property, Schema, WIDE_LEVELS, bindingOf, familyOf, forClass, isHeldAt, isWide, ledBy, reaches, slotOf, whyNotChanged } from '@rule/core/schema';
import { TargetState } from '../library/file-state';
import { User } from '../users/user';

/** A line the schema does not allow, with the reason naming file and property. */
export interface Refusal {
  readonly line: Line;
  readonly file: string;
  readonly message: string;
  /** The same without the file. */
  readonly reason: string;
}

/**
 * Lines a user may not write: computed values, values owned by another system, properties closed to the role, and names outside the schema
 * where those are refused.
 */
export function refusalsOf(
  user: Pick<User, 'role'>,
  lines: readonly Line[],
  schema: Schema,
  files: ReadonlyMap<number, TargetState>,
  /** Names of title blocks, by file and holder (`file/holder`). */
  blocks: ReadonlyMap<string, string>,
): Map<string, Refusal> {
  const refusals = new Map<string, Refusal>();
  const relevant = lines.filter((line) => !line.follows);
  if (relevant.length === 0) return refusals;
  const active = schema.properties.filter((property) => !property.retired);
  const known = new Set(schema.properties.map((property) => property.writtenName));
  const bySlot = new Map<string, Property[]>();
  for (const property of active)
    for (const kind of property.kinds) {
      const slot = slotOf(property, kind);
      const key = `${kind}/${slot.place}/${slot.name}`;
      bySlot.set(key, [...(bySlot.get(key) ?? []), property]);
    }
  for (const level of WIDE_LEVELS)
    for (const property of active) if (isHeldAt(property, level)) bySlot.set(`${level}/property/${property.writtenName}`, [property]);
  for (const line of relevant) {
    const { file: id, place, name } = line.address;
    const file = files.get(id);
    if (!file) continue;
    const refuse = (what: string, message: string) =>
      refusals.set(addressKey(line.address), { line, file: file.path, message: `${file.path}, ${what}: ${message}.`, reason: `${what}: ${message}.` });
    // A field may be the home of one property and only read by others; one that allows the change is enough.
    const home = place === 'cell' ? ledBy(bindingOf(schema.bindings, familyOf(blocks.get(`${id}/${line.address.holder}`) ?? ''), name)) : null;
    const held = place === 'cell' ? active.filter((property) => property.id === home) : bySlot.get(`${file.kind}/${place}/${name}`);
    const owners = held?.filter((property) => isWide(file.kind) || reaches(property, file.kind, file.className)) ?? [];
    const reasons = owners.map((property) =>
      whyNotChanged(forClass(property, file.className), { role: user.role, kind: file.kind, className: file.className, state: file.state }),
    );
    if (owners.length > 0 && reasons.every((reason) => reason !== null)) refuse(owners[0]!.caption, reasons[0]!);
    else if (
      place === 'property' &&
      line.base === null &&
      line.proposed !== null &&
      !known.has(name) &&
      !isWide(file.kind) &&
      schema.strangers[file.kind] === 'refused'
    )
      refuse(name, 'this name is not in the schema, and names outside it are refused');
  }
  return refusals;
}
