import { ChoiceListRow, ListPreview, SeriesNumber, SeriesRow } from '..';
import { choiceListDraft, drawForFiles, drawNumber, listLoad, listSource, seriesDraft } from '../checks';
import { LARGEST_DOCUMENT } from '../media';
import { RouteTable, json, nothing } from '../route';

/** Choice lists and number series. */
export const listsRoutes = {
  'GET /lists': { summary: 'Choice lists', role: 'viewer', answer: json<ChoiceListRow[]>() },
  'POST /lists': { summary: 'Add a choice list', role: 'administrator', body: choiceListDraft, answer: json<ChoiceListRow>() },
  'PUT /lists/{list}': { summary: 'Change a choice list', role: 'administrator', body: choiceListDraft, answer: json<ChoiceListRow>() },
  'DELETE /lists/{list}': { summary: 'Remove a choice list that no property uses', role: 'administrator', answer: nothing },
  'PUT /lists/{list}/source': {
    summary: 'Set the source of a choice list',
    role: 'administrator',
    body: listSource,
    answer: json<ChoiceListRow>(),
  },
  'POST /lists/{list}/preview': { summary: 'What loading a choice list from its source would change', role: 'administrator', answer: json<ListPreview>() },
  'POST /lists/{list}/load': {
    summary: 'Load a choice list from its source, as previewed',
    role: 'administrator',
    body: listLoad,
    answer: json<ChoiceListRow>(),
  },
  'POST /lists/{list}/preview-file': {
    summary: 'What loading a choice list from a file would change',
    role: 'administrator',
    upload: LARGEST_DOCUMENT,
    answer: json<ListPreview>(),
  },
  'POST /lists/{list}/load-file': {
    summary: 'Load a choice list from a file; the token of its preview goes in the header x-token',
    role: 'administrator',
    upload: LARGEST_DOCUMENT,
    answer: json<ChoiceListRow>(),
  },
  'POST /lists/{list}/replace': { summary: 'Put the replacements of retired choices in your tray', role: 'editor', answer: json<{ lines: number }>() },
  'GET /series': { summary: 'Number series with their issued numbers', role: 'viewer', answer: json<SeriesRow[]>() },
  'POST /series': { summary: 'Add a number series', role: 'administrator', body: seriesDraft, answer: json<SeriesRow>() },
  'PUT /series/{series}': { summary: 'Change a number series', role: 'administrator', body: seriesDraft, answer: json<SeriesRow>() },
  'DELETE /series/{series}': { summary: 'Remove a number series that was never used', role: 'administrator', answer: nothing },
  'POST /series/{series}/draw': { summary: 'Reserve the next number', role: 'editor', body: drawNumber, answer: json<SeriesNumber>() },
  'POST /series/draw': {
    summary: 'Reserve numbers of a counted property for files and put them in your tray',
    role: 'editor',
    body: drawForFiles,
    answer: json<{ lines: number; skipped: { path: string; message: string }[] }>(),
  },
  'POST /series/numbers/{number}/release': { summary: 'Give a reserved number back', role: 'editor', answer: nothing },
} satisfies RouteTable;
