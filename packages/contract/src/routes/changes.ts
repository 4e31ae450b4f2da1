import { AppliedCheck, ApplyStarted, ChangeSetRow, LineRow, ProposedAnswer, Tray, TrayLine } from '..';
import { acceptLines, applyTray, historyQuery, proposedValues, settleLine, trayFiles, trayLines, undoStep } from '../checks';
import { RouteTable, json } from '../route';

/** The tray, and the change sets that were applied. */
export const changesRoutes = {
  'GET /tray': { summary: 'Your pending lines', role: 'editor', answer: json<Tray>() },
  'POST /tray': { summary: 'Put typed values in your tray', role: 'editor', body: proposedValues, answer: json<ProposedAnswer>() },
  'POST /tray/pending': { summary: 'Your pending lines for some files', role: 'editor', body: trayFiles, answer: json<TrayLine[]>() },
  'POST /tray/undo': { summary: 'Undo or redo the last step', role: 'editor', body: undoStep, answer: json<Tray>() },
  'POST /tray/drop': { summary: 'Discard pending lines', role: 'editor', body: trayLines, answer: json<Tray>() },
  'POST /tray/accept': { summary: 'Accept lines or set them aside', role: 'editor', body: acceptLines, answer: json<Tray>() },
  'POST /tray/settle': { summary: 'Settle a conflict', role: 'editor', body: settleLine, answer: json<Tray>() },
  'POST /tray/apply': { summary: 'Apply the accepted lines of your tray', role: 'editor', body: applyTray, answer: json<ApplyStarted>() },
  'GET /history': {
    summary: 'Applied and rolled back change sets, newest first',
    role: 'viewer',
    query: historyQuery,
    answer: json<ChangeSetRow[]>(),
  },
  'GET /history/{set}/set': { summary: 'A change set by its number', role: 'viewer', answer: json<ChangeSetRow>() },
  'GET /history/{set}': { summary: 'The lines of a change set', role: 'viewer', answer: json<LineRow[]>() },
  'GET /history/{set}/check': {
    summary: 'Read the files of a change set again and compare them with the change set',
    role: 'viewer',
    answer: json<AppliedCheck>(),
  },
  'POST /history/{set}/revert': { summary: 'Undo a change set by its inverse', role: 'editor', answer: json<ApplyStarted>() },
} satisfies RouteTable;
