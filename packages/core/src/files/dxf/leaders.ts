import { Point } from '../contract';
import { DxfGroups, Entity } from './groups';

/** The parts of a MULTILEADER (DXF reference, from memory): CONTEXT_DATA, its content before the leaders, and what follows it. */
export interface LeaderParts {
  readonly inside: Entity;
  readonly content: Entity;
  readonly body: Entity;
}

/** Splits a MULTILEADER, whose parts use the same codes; `null` if it is incomplete. */
export function leaderParts(groups: DxfGroups, leader: Entity): LeaderParts | null {
  const { codes } = groups.index;
  const from = groups.find(leader, 300);
  let after = from;
  while (after >= 0 && after < leader.to && !(codes[after] === 301 && groups.raw(after) === '}')) after++;
  if (from < 0 || after >= leader.to) return null;
  let leaders = from;
  while (leaders < after && codes[leaders] !== 302) leaders++;
  const { type } = leader;
  return { inside: { type, from, to: after }, content: { type, from, to: leaders }, body: { type, from: after, to: leader.to } };
}

/** Vertices of the leader lines, from the tip to the content, including the landing. */
export function leaderLines(groups: DxfGroups, { content, inside, body }: LeaderParts): Point[][] {
  const { codes } = groups.index;
  const number = (k: number) => Number(groups.raw(k));
  const point = (k: number): Point => ({ x: number(k), y: codes[k + 1] === codes[k]! + 10 ? number(k + 1) : 0 });
  const landing = groups.number(body, 291, 1) === 1 && groups.number(body, 170, 1) !== 2;
  const found: Point[][] = [];
  let lines: Point[][] = [];
  let line: Point[] | null = null;
  let end: Point | null = null;
  let [along, length, vertical]: [Point, number, boolean] = [{ x: 1, y: 0 }, 0, false];
  for (let k = content.to; k < inside.to; k++) {
    const code = codes[k];
    if (code === 302) [lines, line, end, along, length, vertical] = [[], null, null, { x: 1, y: 0 }, 0, false];
    else if (code === 304) lines.push((line = []));
    else if (code === 305) line = null;
    else if (code === 10 && line) line.push(point(k));
    else if (line) continue;
    else if (code === 10) end = point(k);
    else if (code === 11) along = point(k);
    else if (code === 40) length = number(k);
    else if (code === 271) vertical = number(k) === 1;
    else if (code === 303 && end) {
      const size = Math.hypot(along.x, along.y) || 1;
      const landed = { x: end.x + (along.x / size) * length, y: end.y + (along.y / size) * length };
      const last = vertical ? [end] : landing ? [end, landed] : [landed];
      for (const one of lines) if (one.length) found.push([...one, ...last]);
    }
  }
  return found;
}

/** Attribute texts of a block leader: the group of each text, by upper-case handle of its definition. */
export function leaderTexts(groups: DxfGroups, { body }: LeaderParts): Map<string, number> {
  const { codes } = groups.index;
  const texts = new Map<string, number>();
  let definition = '';
  for (let k = body.from + 1; k < body.to; k++)
    if (codes[k] === 330) definition = groups.raw(k).trim().toUpperCase();
    else if (codes[k] === 302 && definition !== '') texts.set(definition, k);
  return texts;
}
