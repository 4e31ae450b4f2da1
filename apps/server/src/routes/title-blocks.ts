import { CellTrayAnswer, LockedOut } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { User } from '../users/user';
import { invalid } from '../platform/problem';

/** Title blocks. */
export function titleBlockHandlers(s: Services): Handlers<NamesIn<'Title blocks'>> {
  /** Adds lines to the tray, and tells what was left out. */
  const added = async (user: User, { lines, left }: { readonly lines: readonly Line[]; readonly left: readonly LockedOut[] }): Promise<CellTrayAnswer> => {
    if (lines.length === 0) {
      const [first] = left;
      throw invalid('nothing-to-do', first ? `No drawing can be changed: ${first.path}. ${first.reason}` : 'The drawings are already as you wish.');
    }
    await s.trays.add(user, lines);
    return { tray: await s.trays.view(user), cells: lines.length, left: left.map((row) => ({ ...row, cells: 0 })) };
  };
  return {
    'GET /title-blocks': () => s.titleBlocks.list(),
    'GET /title-blocks/sheets': ({ query }) => s.titleBlocks.sheets(query),
    'GET /files/{file}/title-block': async ({ user, params, query }) =>
      s.titleBlocks.view(user, params.file, query.holder, await s.trays.accepted(user, await s.titleBlocks.around(params.file))),
    'PUT /files/{file}/sheet-model': ({ params, body }) => s.titleBlocks.settleSheet(params.file, body),
    'POST /title-blocks/tray': async ({ user, body }) => {
      const pending = (await s.trays.accepted(user, null)).filter((line) => line.address.place !== 'cell');
      const { lines, left } = await s.titleBlocks.wished(body, pending);
      if (lines.length === 0)
        throw invalid(
          'nothing-to-do',
          left.length ? `All affected drawings are locked: ${left[0]!.path}. ${left[0]!.reason}` : 'No cell of these drawings needs this.',
        );
      await s.trays.add(user, lines, 'by rule');
      return { tray: await s.trays.view(user), cells: lines.length, left };
    },
    'POST /title-blocks/cells/plan': ({ body }) => s.blockCells.plan(body),
    'POST /title-blocks/cells': async ({ user, body }) => added(user, await s.blockCells.lines(body)),
    'GET /title-blocks/bare': ({ query }) => s.anchoredTexts.bare(query),
    'POST /title-blocks/anchors/plan': ({ body }) => s.anchoredTexts.plan(body),
    'POST /title-blocks/anchors': async ({ user, body }) => added(user, await s.anchoredTexts.lines(body)),
    'POST /title-blocks/exchange/plan': ({ body }) => s.blockExchanges.plan(body),
    'POST /title-blocks/exchange': async ({ user, body }) => added(user, await s.blockExchanges.lines(body)),
    'POST /title-blocks/take-up': async ({ user, body }) => {
      const { values, conflicts } = await s.cellOwners.takenUp(user, body);
      if (values.length === 0)
        throw invalid(
          'nothing-to-do',
          conflicts.length
            ? `No text can be adopted. ${conflicts[0]!.path}, ${conflicts[0]!.tag}: ${conflicts[0]!.why}`
            : 'All texts of these title blocks are already in properties.',
        );
      await s.trays.propose(user, values, `taken up from title block ${body.block}`);
      return { tray: await s.trays.view(user), values: values.length, conflicts };
    },
    'POST /files/{file}/cell': async ({ user, params, body }) => {
      await s.trays.type(user, [await s.cellOwners.typed(params.file, body)], 'typed in the title block');
      return s.trays.view(user);
    },
  };
}
