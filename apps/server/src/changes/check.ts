import { join } from 'node:path';
import { AppliedCheck } from '@rule/contract';
import { addressKey, orNull } from '@rule/core/changes';
import { HeldValue, sameHeld } from '@rule/core/values';
import { Db } from '../platform/db';
import { notFound } from '../platform/problem';
import { WorkPool } from '../platform/pool';

const MOST_LISTED = 500;
/** Files read in one step. */
const BATCH = 100;

interface CheckedLine {
  readonly file: number;
  readonly path: string;
  readonly root: string | null;
  readonly format: string;
  readonly removed: boolean;
  readonly holder: string;
  readonly place: 'property' | 'field' | 'cell';
  readonly name: string;
  readonly meant: HeldValue | null;
  readonly beside: HeldValue | null;
}

const shown = (held: HeldValue | null): string | null => (held === null ? null : held.unit ? `${held.text} ${held.unit}` : held.text);

/** Whether a line's value is stored in the database only. */
const isBeside = (line: Pick<CheckedLine, 'format'>) => line.format === 'other' || line.format === 'above';

/** Reads the files of an applied change set again and compares them with the intended values. */
export class Checks {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
  ) {}

  async check(changeSet: number): Promise<AppliedCheck> {
    const lines = await this.db.all<CheckedLine>(
      `SELECT l.file_id AS file, f.path, lib.root, f.format, f.removed, l.holder, l.place, l.name, l.proposed AS meant,
         (SELECT jsonb_strip_nulls(jsonb_build_object('text', b.text, 'form', b.form, 'unit', b.unit)) FROM beside_values b
             WHERE b.file_id = l.file_id AND b.name = l.name) AS beside
       FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id JOIN targets f ON f.id = l.file_id LEFT JOIN libraries lib ON lib.id = f.library_id
       WHERE l.change_set_id = $1 AND l.state = 'applied' AND s.state IN ('applied', 'partly applied') ORDER BY f.path, l.id`,
      [changeSet],
    );
    if (lines.length === 0) throw notFound(`An applied change set ${changeSet}`);
    const byFile = new Map<number, CheckedLine[]>();
    for (const line of lines) byFile.set(line.file, [...(byFile.get(line.file) ?? []), line]);
    const different: AppliedCheck['different'][number][] = [];
    const unreadable: AppliedCheck['unreadable'][number][] = [];
    let asMeant = 0;
    const files = [...byFile.values()];
    for (let at = 0; at < files.length; at += BATCH) {
      const batch = files.slice(at, at + BATCH);
      const inFiles = batch.filter(([line]) => !isBeside(line!) && !line!.removed);
      const outcomes = await this.pool.run('readFiles', {
        paths: inFiles.map(([line]) => ({ path: line!.path, full: join(line!.root!, line!.path), format: line!.format })),
      });
      const readings = new Map(inFiles.map(([line], i) => [line!.file, outcomes[i]!]));
      for (const own of batch) {
        const { file, path, removed } = own[0]!;
        const outcome = readings.get(file);
        if (removed || (!isBeside(own[0]!) && !outcome?.reading)) {
          unreadable.push({ file, path, message: removed ? 'It is no longer in the library.' : (outcome?.problem ?? 'The file cannot be read.') });
          continue;
        }
        const found = new Map(
          (outcome?.reading?.holders ?? []).flatMap((holder) =>
            holder.values.map((value) => [addressKey({ file, holder: holder.key, place: value.place, name: value.name }), value.held] as const),
          ),
        );
        for (const line of own) {
          const now = isBeside(line) ? line.beside : (found.get(addressKey({ file, holder: line.holder, place: line.place, name: line.name })) ?? null);
          if (sameHeld(orNull(now), orNull(line.meant))) asMeant++;
          else different.push({ file, path, name: line.name, meant: shown(line.meant), found: shown(now) });
        }
      }
    }
    return { lines: lines.length, asMeant, different: different.slice(0, MOST_LISTED), unreadable: unreadable.slice(0, MOST_LISTED) };
  }
}
