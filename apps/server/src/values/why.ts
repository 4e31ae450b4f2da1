import { CellReason } from '@rule/contract';
import { contextOf } from '@rule/core/rules';
import { slotOf } from '@rule/core/schema';
import { Db } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { Derived } from '../schema/derive';
import { stepsOf } from '../schema/explain';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { groundOf } from '../schema/prepared';

/** Why a grid cell has its value: author, rule, inheritance, staleness, violations. */
export async function whyCell(db: Db, derived: Derived, fileId: number, propertyId: number, now: Date): Promise<CellReason> {
  const prepared = await derived.prepared(db);
  const file = (await loadFacts(db, [fileId], surroundingsOf([prepared]))).get(fileId);
  if (!file) throw notFound(`File ${fileId}`);
  const judged = prepared.judge(file).values.get(propertyId);
  if (!judged) throw invalid('not-reached', 'This property has no value in this file.');
  const { property } = judged;
  const slot = slotOf(property, file.kind);
  const [changed, around, ground] = await Promise.all([
    db.one<NonNullable<CellReason['changed']>>(
      `SELECT u.display_name AS "by", s.at, s.id AS "changeSet", s.title, l.base->>'text' AS before
       FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id
       JOIN users u ON u.id = s.user_id
       WHERE l.file_id = $1 AND l.holder = '' AND l.place = $2 AND l.name = $3 AND l.state = 'applied' AND s.state IN ('applied', 'partly applied')
       ORDER BY s.id DESC LIMIT 1`,
      [fileId, slot.place, slot.name],
    ),
    db.one<{ model: string | null; project: string | null; set: string | null; savedBy: string | null }>(
      `SELECT m.path AS model, p.name AS project, w.name AS "set",
         (SELECT v.text FROM held_values v
             WHERE v.file_id = f.id AND v.place = 'field' AND v.name IN ('last saved by', 'author') AND v.text <> '' ORDER BY v.name DESC
             LIMIT 1) AS "savedBy"
       FROM files f LEFT JOIN files m ON m.id = f.model_file_id
       LEFT JOIN wide_holders p ON p.id = f.project_id LEFT JOIN wide_holders w ON w.id = f.set_id
       WHERE f.id = $1`,
      [fileId],
    ),
    groundOf(db, now),
  ]);
  const rule = judged.origin === 'ruled' ? prepared.ruleOf(propertyId) : null;
  const steps = rule
    ? stepsOf(rule.explain(contextOf(Object.entries(prepared.ownNames(file))), { instant: null, ...(ground.lookup ? { lookup: ground.lookup } : {}) }).steps)
    : [];
  const source = { model: around?.model, project: around?.project, 'drawing set': around?.set, company: 'the company' };
  return {
    held: judged.held,
    value: judged.value,
    origin: judged.origin,
    otherName: judged.otherName ?? null,
    violations: judged.cell.violations.map((violation) => violation.message),
    wanted: judged.derived ?? null,
    stale: judged.cell.violations.some((violation) => violation.code === 'stale'),
    from: judged.origin === 'inherited' && property.inheritFrom ? (source[property.inheritFrom] ?? null) : null,
    rule: rule?.source ?? null,
    steps,
    failure: judged.failure ?? null,
    changed: changed ?? null,
    savedBy: around?.savedBy ?? null,
  };
}
