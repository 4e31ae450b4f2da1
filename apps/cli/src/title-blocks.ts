import { ApplyMode, BlockRow, SheetRow } from '@rule/contract';
import { bindingWords } from '@rule/core/schema';
import { CELL_STATES, CELL_STATE_WORDS, CellState, CellWish } from '@rule/core/titleblocks';
import { count } from '@rule/core/words';
import { Outcome } from './commands';
import { Row } from './output';
import { RuleServer } from './server';
import { Trouble } from './trouble';

/** Sheets requested at a time. */
const PAGE = 500;

/** States that need action. */
const OPEN: readonly CellState[] = ['stale', 'does not fit', 'would be erased', 'lacking', 'no model'];

type States = BlockRow['cells'][number]['states'];

const stateColumns = (states: States): Row => Object.fromEntries(CELL_STATES.map((state) => [state, states[state] ?? 0]));
const open = (states: States): number => OPEN.reduce((sum, state) => sum + (states[state] ?? 0), 0);

/** Lists title block families with cells, bindings and cell states. Open states raise a warning. */
export async function listBlocks(server: RuleServer): Promise<Outcome> {
  const [blocks, properties] = await Promise.all([server.blocks(), server.properties()]);
  const captions = new Map(properties.map((property) => [property.id, property.caption]));
  const words = ({ binding, constant }: BlockRow['cells'][number]): string =>
    constant ? CELL_STATE_WORDS.fixed : binding ? bindingWords(binding, (id) => captions.get(id) ?? 'a property') : '';
  const cells = blocks.flatMap((block) => block.cells.map((cell) => ({ block, cell })));
  const n = cells.reduce((sum, { cell }) => sum + open(cell.states), 0);
  return {
    columns: ['block', 'sheets', 'cell', 'shows', ...CELL_STATES],
    rows: cells.map(({ block, cell }) => ({ block: block.name, sheets: block.sheets, cell: cell.tag, shows: words(cell), ...stateColumns(cell.states) })),
    worst: n ? 'warning' : null,
    said: `${count(blocks.length, 'title block')}, ${count(n, 'cell')} to look at`,
  };
}

/** Finds a family by name, ignoring case. */
async function blockOf(server: RuleServer, name: string): Promise<BlockRow> {
  const blocks = await server.blocks();
  const found = blocks.find((block) => block.family === name.trim().toLowerCase());
  if (!found) throw new Trouble(`There is no title block ${JSON.stringify(name)}. There are: ${blocks.map((block) => block.name).join(', ') || 'none'}.`);
  return found;
}

/** Lists the sheets of a family, or those with a cell in a given state. */
export async function showBlock(server: RuleServer, name: string, state: string | undefined): Promise<Outcome> {
  const wanted = CELL_STATES.find((candidate) => candidate === state);
  if (state !== undefined && !wanted) throw new Trouble(`--state takes ${CELL_STATES.map((one) => JSON.stringify(one)).join(', ')}.`);
  const { family } = await blockOf(server, name);
  const rows: SheetRow[] = [];
  for (let total = 1; rows.length < total;) {
    const page = await server.blockSheets({ block: family, offset: rows.length, limit: PAGE, ...(wanted ? { state: wanted } : {}) });
    total = page.total;
    if (page.rows.length === 0) break;
    rows.push(...page.rows);
  }
  const n = rows.reduce((sum, row) => sum + open(row.states), 0);
  return {
    columns: ['file', 'sheet', 'number', 'of', 'locked', ...CELL_STATES],
    rows: rows.map(({ path, layout, number, sheets, lock, states }) => ({
      file: path,
      sheet: layout,
      number,
      of: sheets,
      locked: lock ?? '',
      ...stateColumns(states),
    })),
    worst: n ? 'warning' : null,
    said: `${count(rows.length, 'sheet')}, ${count(n, 'cell')} to look at`,
  };
}

/**
 * Adds corrections of cells to the tray or, with `apply`, writes them to the drawings. Locked drawings are skipped with a warning; failed
 * writes are errors. A tray that is not empty is left alone.
 */
export async function putBlock(server: RuleServer, name: string, wishes: readonly CellWish[], apply: ApplyMode | null): Promise<Outcome> {
  const { family } = await blockOf(server, name);
  const { counts } = await server.tray();
  if (apply !== null && counts.lines > 0)
    throw new Trouble(`Your tray holds ${count(counts.lines, 'pending line')}, which --apply would apply as well. Apply or discard them first.`);
  const { cells, left } = await server.putCells({ block: family, cells: null, drawings: null, wishes });
  const report = apply === null ? null : await server.applyTray(apply, `title block ${name}`);
  const failed = report !== null && report.state !== 'applied';
  return {
    columns: ['file', 'cells', 'reason'],
    rows: left.map(({ path, cells: n, reason }) => ({ file: path, cells: n, reason })),
    worst: failed ? 'error' : left.length ? 'warning' : null,
    said: `${count(cells, 'cell')} ${report ? (failed ? `not all applied: ${report.failures[0] ? `${report.failures[0].path}: ${report.failures[0].message}` : report.state}` : 'written') : 'added to your tray'}${left.length ? `, ${count(left.length, 'drawing')} left out` : ''}`,
  };
}
