import { CheckIn, FileRow } from '@rule/contract';
import { count } from '@rule/core/words';
import { Line } from '@rule/core/changes';
import { compileStandIns } from '@rule/core/values';
import { whyNotTaken } from '@rule/core/vault';
import { Db } from '../platform/db';
import { refused } from '../platform/problem';
import { readSettings } from '../platform/settings';
import { Compared, proposedOf, whyNotWritten } from './comparisons';
import { VaultPort } from './port';

/** Allowed directions. */
type Ways = 'both' | 'in' | 'out';

/**
 * Values to pass in each direction, checked.
 * @param ways requested directions; for one direction, undecided values are skipped and counted
 * @throws AppError naming what cannot pass
 */
export async function passing(
  db: Db,
  port: VaultPort,
  file: FileRow,
  compared: readonly Compared[],
  settled: CheckIn['settled'],
  ways: Ways,
): Promise<{ lines: Line[]; record: Record<string, string | null>; left: number }> {
  const open = compared.filter(({ values }) => values.decision.action === 'ask' && !settled[values.link.id]);
  if (open.length && ways === 'both')
    throw refused(
      'clash',
      `${count(open.length, 'value needs', 'values need')} a decision.`,
      open.map(({ values }) => ({ field: values.link.field, code: 'clash', message: values.decision.reason })),
    );
  const [definition, settings, row] = await Promise.all([
    port.definition(),
    readSettings(db),
    db.one<{ name: string | null }>('SELECT c.name FROM files f LEFT JOIN classes c ON c.id = f.class_id WHERE f.id = $1', [file.id]),
  ]);
  const standIns = compileStandIns(settings.standIns);
  const lines: Line[] = [];
  const record: Record<string, string | null> = {};
  const wrong: { field: string; code: string; message: string }[] = [];
  for (const { values, side } of compared) {
    const { link, decision } = values;
    const action = decision.action !== 'ask' ? decision.action : settled[link.id] === 'file' ? 'in' : settled[link.id] === 'record' ? 'out' : 'stays';
    if (action === 'in' && ways !== 'out') {
      const refusal = whyNotTaken(definition, link.field, file.kind, side.text);
      if (refusal === null) record[link.field] = side.text;
      else
        wrong.push({
          field: link.field,
          code: definition.fields.some((field) => field.name === link.field) ? 'bad-file-value' : 'unknown-field',
          message: refusal,
        });
    }
    if (action === 'out' && ways !== 'in') {
      const refusal = whyNotWritten(side, values.record, row?.name ?? null, standIns);
      if (refusal !== null) wrong.push({ field: link.field, code: 'bad-record-value', message: refusal });
      else
        for (const { address, held } of side.targets)
          lines.push({
            address,
            base: held,
            proposed: proposedOf(side, values.record, row?.name ?? null, standIns),
            reason: `vault field ${link.field}`,
            follows: false,
          });
    }
  }
  if (wrong.length)
    throw refused('cannot-pass', `${file.path}: ${wrong[0]!.message}${wrong.length > 1 ? `, and ${wrong.length - 1} more` : ''}. Nothing was changed.`, wrong);
  return { lines, record, left: ways === 'both' ? 0 : open.length };
}
