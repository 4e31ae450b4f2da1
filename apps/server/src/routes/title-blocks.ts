import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { invalid } from '../platform/problem';

/** Title blocks. */
export function titleBlockHandlers(s: Services): Handlers<NamesIn<'Title blocks'>> {
  return {
    'GET /title-blocks': () => s.titleBlocks.list(),
    'GET /files/{file}/title-block': async ({ user, params, query }) =>
      s.titleBlocks.view(params.file, query.block, await s.trays.accepted(user, await s.titleBlocks.around(params.file))),
    'PUT /title-blocks/bindings': ({ body }) => s.titleBlocks.bind(body),
    'POST /title-blocks/tray': async ({ user, body }) => {
      const pending = (await s.trays.accepted(user, null)).filter((line) => line.address.place !== 'cell');
      const lines = await s.titleBlocks.staleLines(body.block, body.drawings, pending);
      if (lines.length === 0) throw invalid('nothing-stale', 'No cell of these drawings is stale.');
      await s.trays.add(user, lines);
      return s.trays.view(user);
    },
  };
}
