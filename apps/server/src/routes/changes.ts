import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';

/** The tray, and the change sets that were applied. */
export function changeHandlers(s: Services): Handlers<NamesIn<'Tray and history'>> {
  return {
    'GET /tray': ({ user }) => s.trays.view(user),
    'POST /tray': async ({ user, body }) => {
      const left = await s.trays.propose(user, body.values, body.reason);
      return { ...(await s.trays.view(user)), left };
    },
    'POST /tray/pending': ({ user, body }) => s.trays.pendingFor(user, body.files),
    'POST /tray/undo': async ({ user, body }) => {
      await s.trays.undo(user, body.again);
      return s.trays.view(user);
    },
    'POST /tray/drop': async ({ user, body }) => {
      await s.trays.drop(user, body.lines);
      return s.trays.view(user);
    },
    'POST /tray/accept': async ({ user, body }) => {
      await s.trays.accept(user, body.lines, body.accepted);
      return s.trays.view(user);
    },
    'POST /tray/settle': async ({ user, body }) => {
      await s.trays.settle(user, body.line, body.take);
      return s.trays.view(user);
    },
    'POST /tray/apply': async ({ user, body }) => {
      await s.applying.checkTray(user);
      return s.changes.begin(user, body.title || 'Apply the tray', (context) => s.applying.applyTray(user, body.mode, body.title, context));
    },
    'GET /history': ({ query }) => s.applying.history(query),
    'GET /history/{set}/set': ({ params }) => s.applying.changeSet(params.set),
    'GET /history/{set}': ({ params }) => s.applying.lines(params.set),
    'GET /history/{set}/check': ({ params }) => s.checks.check(params.set),
    'POST /history/{set}/revert': async ({ user, params }) => {
      const { title } = await s.applying.checkRevert(params.set);
      return s.changes.begin(user, `Revert ${title}`, (context) => s.applying.revert(user, params.set, context));
    },
  };
}
