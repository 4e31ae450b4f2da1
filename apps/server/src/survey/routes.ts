import {
  ClassesDraft,
  ForeignDraft,
  ForeignRequest,
  SurveyTable,
  CleanUpRequest,
  CopyValues,
  CoverageQuery,
  DraftsRequest,
  FileFilter,
  FilesQuery,
  KeepSurvey,
  LibraryDraft,
  UploadDraft,
  ValuesQuery,
  HistoryQuery,
  LibraryPlace,
} from '@rule/contract';
import {
  classesDraft,
  foreignDraft,
  foreignRequest,
  surveyTable,
  cleanUpRequest,
  copyValues,
  coverageQuery,
  draftsRequest,
  fileFilter,
  filesQuery,
  keepSurvey,
  library,
  uploadDraft,
  valuesQuery,
  libraryPlace,
  historyQuery,
} from '@rule/contract/checks';
import { Route, route } from '../platform/route';
import { sendTable } from '../exchange/send';
import { headerName, headerText } from '../platform/file-name';
import { Services } from '../services';

/** Routes of libraries, survey and clean-up. */
export function surveyRoutes(s: Services): Route[] {
  const read = (user: Parameters<Services['jobs']['start']>[0], id: number | null, name: string) =>
    s.jobs.start(user, 'survey', `Read ${name}`, { library: id }).then((job) => ({ job }));
  return [
    route<undefined, FileFilter>({
      method: 'get',
      path: '/survey',
      summary: 'Libraries, folders, classes and written names found, limited by a filter',
      role: 'viewer',
      query: fileFilter,
      action: ({ query }) => s.surveys.survey(query),
    }),
    route({ method: 'get', path: '/survey/remarks', summary: 'What people should know about single files', role: 'viewer', action: () => s.surveys.remarks() }),
    route<undefined, CoverageQuery>({
      method: 'get',
      path: '/survey/coverage',
      summary: 'How far names are filled, by kind, class, folder or level',
      role: 'viewer',
      query: coverageQuery,
      action: ({ query }) => s.surveys.coverage(query),
    }),
    route({ method: 'get', path: '/survey/twins', summary: 'Names that probably mean the same', role: 'viewer', action: () => s.surveys.twins() }),
    route({
      method: 'get',
      path: '/survey/other-names',
      summary: 'Values found under another name than their property has',
      role: 'viewer',
      action: () => s.surveys.otherNames(),
    }),
    route<undefined, ValuesQuery>({
      method: 'get',
      path: '/survey/values',
      summary: 'The values of one name: counts, clusters, outliers, mixed types and units',
      role: 'viewer',
      query: valuesQuery,
      action: ({ query: { name, ...filter } }) => s.surveys.values(name, filter),
    }),
    route<undefined, FilesQuery>({
      method: 'get',
      path: '/survey/files',
      summary: 'Files by any value',
      role: 'viewer',
      query: filesQuery,
      action: ({ query }) => s.surveys.files(query),
    }),
    route({
      method: 'get',
      path: '/survey/masses',
      summary: 'Masses and materials that do not go with their models',
      role: 'viewer',
      action: () => s.geometries.remarks(),
    }),
    route({
      method: 'get',
      path: '/files/{file}/geometry',
      summary: 'Volume, area, box, centre, mass and material of a file',
      role: 'viewer',
      action: ({ params }) => s.geometries.of(params['file']!),
    }),
    route({
      method: 'get',
      path: '/files/{file}/picture',
      summary: 'A picture of a part or assembly (PNG)',
      role: 'viewer',
      action: async ({ params, response }) => {
        const picture = await s.geometries.picture(params['file']!);
        response.type('image/png').setHeader('cache-control', 'private, max-age=60');
        response.send(picture);
      },
    }),
    route<undefined, HistoryQuery>({
      method: 'get',
      path: '/surveys',
      summary: 'Surveys that were kept, the newest first',
      role: 'viewer',
      query: historyQuery,
      action: ({ query }) => s.surveys.kept(query),
    }),
    route<KeepSurvey>({
      method: 'post',
      path: '/surveys',
      summary: 'Keep the counts of today, to compare later ones with them',
      role: 'editor',
      body: keepSurvey,
      action: ({ user, body: { title, ...filter } }) => s.surveys.keep(user, title, filter),
    }),
    route({
      method: 'get',
      path: '/surveys/{survey}/comparison',
      summary: 'What changed since a survey that was kept',
      role: 'viewer',
      action: ({ params }) => s.surveys.compare(params['survey']!),
    }),
    route<DraftsRequest>({
      method: 'post',
      path: '/survey/drafts',
      summary: 'Property drafts for names that were found',
      role: 'viewer',
      body: draftsRequest,
      action: ({ body }) => s.surveys.drafts(body.names),
    }),

    route<SurveyTable>({
      method: 'post',
      path: '/survey/table',
      summary: 'A survey as a workbook or CSV file: one row a file, one column a written name, ready to be filled in and taken back',
      role: 'viewer',
      body: surveyTable,
      action: async ({ user, body, response }) => sendTable(response, await s.sendOuts.survey(user, body), true),
    }),
    route({
      method: 'get',
      path: '/survey/learned',
      summary: 'Bindings of title block cells and meanings of foreign names that the library itself suggests',
      role: 'viewer',
      action: () => s.learning.learned(),
    }),

    route({ method: 'get', path: '/foreign', summary: 'Mappings of foreign names to ours', role: 'viewer', action: () => s.foreign.list() }),
    route<ForeignDraft>({
      method: 'post',
      path: '/foreign',
      summary: 'Keep a mapping of foreign names',
      role: 'editor',
      body: foreignDraft,
      action: ({ body }) => s.foreign.save(null, body),
    }),
    route<ForeignDraft>({
      method: 'put',
      path: '/foreign/{mapping}',
      summary: 'Change a mapping of foreign names',
      role: 'editor',
      body: foreignDraft,
      action: ({ params, body }) => s.foreign.save(params['mapping']!, body),
    }),
    route({
      method: 'delete',
      path: '/foreign/{mapping}',
      summary: 'Remove a mapping of foreign names',
      role: 'editor',
      action: ({ params }) => s.foreign.remove(params['mapping']!),
    }),
    route<ForeignRequest>({
      method: 'post',
      path: '/foreign/preview',
      summary: 'What foreign names would bring over to ours',
      role: 'viewer',
      body: foreignRequest,
      action: ({ body }) => s.foreign.preview(body),
    }),
    route<ForeignRequest>({
      method: 'post',
      path: '/foreign/tray',
      summary: 'Put what would be brought over in your tray',
      role: 'editor',
      body: foreignRequest,
      action: ({ user, body }) => s.foreign.toTray(user, body),
    }),

    route({ method: 'get', path: '/libraries', summary: 'Libraries and where they stand', role: 'viewer', action: () => s.libraries.list() }),
    route<LibraryDraft>({
      method: 'post',
      path: '/libraries',
      summary: 'Register a folder of the server as a library and read it; answers with the number of the job',
      role: 'administrator',
      body: library,
      action: async ({ user, body }) => read(user, await s.libraries.add(body.name, body.path), body.name),
    }),
    route<LibraryPlace>({
      method: 'put',
      path: '/libraries/{library}/place',
      summary: 'Say where a library stands, the same or another folder, and read it anew; answers with the number of the job',
      role: 'administrator',
      body: libraryPlace,
      action: async ({ user, params, body }) => {
        await s.libraries.place(params['library']!, body.path);
        return read(user, params['library']!, 'a library');
      },
    }),
    route({
      method: 'post',
      path: '/libraries/rescan',
      summary: 'Read what is new or changed in all libraries; answers with the number of the job',
      role: 'editor',
      action: ({ user }) => read(user, null, 'all libraries'),
    }),
    route({
      method: 'post',
      path: '/libraries/{library}/rescan',
      summary: 'Read what is new or changed in one library; answers with the number of the job',
      role: 'editor',
      action: ({ user, params }) => read(user, params['library']!, 'a library'),
    }),
    route<UploadDraft>({
      method: 'post',
      path: '/libraries/uploads',
      summary: 'Begin a library of uploaded files',
      role: 'administrator',
      body: uploadDraft,
      action: async ({ body }) => ({ library: await s.libraries.addUpload(body.name) }),
    }),
    route({
      method: 'post',
      path: '/libraries/{library}/files',
      summary: 'Upload one file; its path goes in the header x-file-name, percent-encoded',
      role: 'editor',
      stream: true,
      action: ({ params, request }) => s.uploads.take(params['library']!, headerText(request.get('x-file-name')), request),
    }),
    route({
      method: 'post',
      path: '/libraries/{library}/archive',
      summary: 'Upload a zip archive and unpack it; answers with the number of the job',
      role: 'editor',
      stream: true,
      action: async ({ user, params, request }) => {
        const archive = await s.uploads.keepArchive(params['library']!, request);
        return { job: await s.jobs.start(user, 'upload', `Unpack ${headerName(request.get('x-file-name'))}`, { library: params['library']!, archive }) };
      },
    }),

    route({ method: 'get', path: '/classes', summary: 'Classes in the order in which they are tried', role: 'viewer', action: () => s.classes.list() }),
    route<ClassesDraft>({
      method: 'put',
      path: '/classes',
      summary: 'Define all classes and sort every file anew',
      role: 'administrator',
      body: classesDraft,
      action: ({ body }) => s.classes.save(body.classes),
    }),

    route<CleanUpRequest>({
      method: 'post',
      path: '/clean-up/preview',
      summary: 'What a clean-up would do',
      role: 'viewer',
      body: cleanUpRequest,
      action: ({ body }) => s.cleanUps.preview(body),
    }),
    route<CleanUpRequest>({
      method: 'post',
      path: '/clean-up/tray',
      summary: "Put a clean-up's lines in your tray",
      role: 'editor',
      body: cleanUpRequest,
      action: ({ user, body }) => s.cleanUps.toTray(user, body),
    }),
    route<CopyValues>({
      method: 'post',
      path: '/clean-up/copy',
      summary: 'Copy values of one file to others, through your tray',
      role: 'editor',
      body: copyValues,
      action: ({ user, body }) => s.cleanUps.copy(user, body),
    }),
  ];
}
