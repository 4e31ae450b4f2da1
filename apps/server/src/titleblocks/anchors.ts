import { AnchorChange, AnchorPlan, BareSheets, LockedOut, SheetPageQuery } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { anchorText } from '@rule/core/files';
import { heldText } from '@rule/core/values';
import { join } from 'node:path';
import { FoundText, TextsOf, Wanted, formOf } from '../library/anchors.thread';
import { Db } from '../platform/db';
import { WorkPool } from '../platform/pool';
import { invalid, notFound } from '../platform/problem';

/** Most drawings that are looked through at once. */
const MOST_DRAWINGS = 500;
/** Drawings read by one task. */
const AT_ONCE = 20;
const MOST_EXAMPLES = 50;

/** A drawing that may have such texts, with the sheets that are as large as the one of the chosen text. */
interface Drawing {
  readonly file: number;
  readonly path: string;
  readonly root: string;
  readonly lock: string | null;
  readonly layouts: readonly string[];
}

/** Drawings of a scope: `$2` null for the one, a folder, or a library alone; `$3` a layout whose size counts. */
const DRAWINGS = `SELECT f.id AS file, f.path, l.root, f.lock_reason AS lock,
    ARRAY(SELECT s.layout FROM sheets s LEFT JOIN sheets o ON o.file_id = $1 AND o.layout = $3
      WHERE s.file_id = f.id AND (s.layout = 'model') = ($3 = 'model') AND round(s.width) IS NOT DISTINCT FROM round(o.width)
        AND round(s.height) IS NOT DISTINCT FROM round(o.height)) AS layouts
  FROM files f JOIN libraries l ON l.id = f.library_id JOIN files c ON c.id = $1 AND c.library_id = f.library_id
  WHERE NOT f.removed AND f.format = 'dxf' AND ($2 = 'its library' OR ($2 = 'its folder' AND f.folder = c.folder) OR f.id = $1)
  ORDER BY f.path LIMIT ${MOST_DRAWINGS + 1}`;

/** Sheets of drawings on which no block or text is known as a cell. Model space counts where there is no other sheet. */
const BARE = `FROM sheets s JOIN files f ON f.id = s.file_id AND NOT f.removed
  WHERE NOT EXISTS (SELECT 1 FROM placed_blocks b WHERE b.file_id = s.file_id AND b.layout = s.layout)
    AND (s.layout <> 'model' OR NOT EXISTS (SELECT 1 FROM sheets o WHERE o.file_id = s.file_id AND o.layout <> 'model'))
    AND NOT (s.layout = 'model' AND EXISTS (SELECT 1 FROM placed_blocks b WHERE b.file_id = s.file_id))`;

/** Texts found, with their drawings, and drawings left out. */
interface Found {
  readonly texts: readonly { readonly drawing: Drawing; readonly text: FoundText }[];
  readonly left: readonly LockedOut[];
}

/** Plain texts that are anchored as cells by hand. */
export class AnchoredTexts {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
  ) {}

  /** A page of sheets without any cell. */
  async bare({ offset, limit }: SheetPageQuery): Promise<BareSheets> {
    const [total, rows] = await Promise.all([
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n ${BARE}`),
      this.db.all<BareSheets['rows'][number]>(
        `SELECT s.file_id AS file, f.path, f.lock_reason AS lock, s.layout,
         (SELECT count(*)::int FROM sheets n WHERE n.file_id = f.id AND n.layout <> 'model') AS sheets
         ${BARE} ORDER BY f.path, s.position, s.layout LIMIT $1 OFFSET $2`,
        [limit, offset],
      ),
    ]);
    return { total: total!.n, rows };
  }

  /** Previews anchoring. */
  async plan(change: AnchorChange): Promise<AnchorPlan> {
    const { texts, left } = await this.read(change);
    return {
      drawings: new Set(texts.map(({ drawing }) => drawing.file)).size,
      texts: texts.length,
      examples: texts.slice(0, MOST_EXAMPLES).map(({ drawing: { file, path }, text: { layout, text } }) => ({ file, path, layout, text })),
      left,
    };
  }

  /** Lines that anchor texts or let them go. */
  async lines(change: AnchorChange): Promise<{ lines: Line[]; left: readonly LockedOut[] }> {
    const { texts, left } = await this.read(change);
    const proposed = change.anchor && heldText(anchorText(change.anchor));
    const reason = change.anchor ? `text anchored as the ${change.anchor.kind} ${change.anchor.name}` : 'text no longer anchored';
    const lines = texts.map(({ drawing, text }): Line => ({
      address: { file: drawing.file, holder: '', place: 'anchor', name: text.name },
      base: text.anchor && heldText(anchorText(text.anchor)),
      proposed,
      reason,
      follows: false,
    }));
    return { lines, left };
  }

  private async read(change: AnchorChange): Promise<Found> {
    const { file, name, among } = change;
    const [own] = await this.db.all<Drawing>(DRAWINGS, [file, 'this drawing', 'model']);
    if (!own) throw notFound(`The drawing ${file}`);
    const [at] = await this.find([own], { by: 'name', name });
    if (at && 'problem' in at) throw invalid('not-read', `${own.path}: ${at.problem}`);
    const chosen = at?.texts[0];
    if (!chosen) throw notFound(`A plain text at ${name} in ${own.path}`);
    if (among === 'this text') return this.judge(change, [own], [at]);
    if (among === 'same place' && chosen.layout === 'model')
      throw invalid('in-model', 'Texts of the model are not compared by place: every model has its own.');
    const drawings = await this.db.all<Drawing>(DRAWINGS, [file, change.in, chosen.layout]);
    if (drawings.length > MOST_DRAWINGS) throw invalid('too-many', `There are more than ${MOST_DRAWINGS} drawings. Choose a folder.`);
    const wanted: Wanted =
      among === 'same place'
        ? { by: 'place', x: chosen.x, y: chosen.y, height: chosen.height }
        : { by: 'form', layer: chosen.layer, form: formOf(chosen.text), inModel: chosen.layout === 'model' };
    return this.judge(change, drawings, await this.find(drawings, wanted));
  }

  private async find(drawings: readonly Drawing[], wanted: Wanted): Promise<TextsOf[]> {
    const tasks: Promise<TextsOf[]>[] = [];
    for (let from = 0; from < drawings.length; from += AT_ONCE)
      tasks.push(
        this.pool.run('findTexts', {
          files: drawings
            .slice(from, from + AT_ONCE)
            .map(({ file, root, path, layouts }) => ({ file, full: join(root, path), layouts: wanted.by === 'place' ? layouts : null })),
          wanted,
        }),
      );
    return (await Promise.all(tasks)).flat();
  }

  /** Texts that can be anchored, and the first reason of every drawing with one that cannot. */
  private judge({ anchor }: AnchorChange, drawings: readonly Drawing[], found: readonly TextsOf[]): Found {
    const byFile = new Map(drawings.map((drawing) => [drawing.file, drawing]));
    const texts: { drawing: Drawing; text: FoundText }[] = [];
    const left = new Map<number, LockedOut>();
    for (const one of found) {
      const drawing = byFile.get(one.file)!;
      const leave = (reason: string): void => {
        if (!left.has(one.file)) left.set(one.file, { file: one.file, path: drawing.path, reason });
      };
      if ('problem' in one) {
        leave(one.problem);
        continue;
      }
      const taken = new Set(one.cells.map(({ layout, tag }) => `${layout}\n${tag}`));
      for (const text of one.texts) {
        // Nothing to do for texts that are already as wished.
        if (anchor === null ? text.anchor === null : text.anchor !== null && anchorText(text.anchor) === anchorText(anchor)) continue;
        if (drawing.lock !== null) leave(`The file ${drawing.lock}.`);
        else if (anchor !== null && text.formatted) leave(`The text ${JSON.stringify(text.text)} has formatting of its own, which would be lost.`);
        else if (anchor !== null && text.several) leave(`Several texts stand where ${JSON.stringify(text.text)} stands.`);
        else if (anchor?.kind === 'cell' && taken.has(`${text.layout}\n${anchor.name}`)) leave(`The sheet ${text.layout} already has a cell ${anchor.name}.`);
        else {
          if (anchor?.kind === 'cell') taken.add(`${text.layout}\n${anchor.name}`);
          texts.push({ drawing, text });
        }
      }
    }
    return { texts, left: [...left.values()] };
  }
}
