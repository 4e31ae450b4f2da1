import { ClassRow, FileDetails, FileGeometry, JobStarted, Library, UploadOutcome } from '..';
import { classesDraft, library, libraryPlace, pictureQuery, settleModel, settlePart, uploadDraft } from '../checks';
import { RouteTable, bytes, json, nothing } from '../route';

/** Libraries, classes and single files. */
export const libraryRoutes = {
  'GET /files/{file}': { summary: 'What a file holds', role: 'viewer', answer: json<FileDetails>() },
  'PUT /files/{file}/model': { summary: 'Settle which model a drawing shows', role: 'editor', body: settleModel, answer: nothing },
  'PUT /files/{file}/part': { summary: "Settle which part file an assembly's copy belongs to", role: 'editor', body: settlePart, answer: nothing },
  'GET /files/{file}/geometry': { summary: 'Volume, area, box, centre, mass and material of a file', role: 'viewer', answer: json<FileGeometry>() },
  'GET /files/{file}/picture': {
    summary: 'A picture of a part or assembly, or of one body of a part (PNG)',
    role: 'viewer',
    query: pictureQuery,
    answer: bytes('image/png'),
  },
  'GET /files/{file}/content': { summary: 'The file itself', role: 'viewer', answer: bytes('application/octet-stream') },
  'GET /libraries': { summary: 'Libraries and their folders', role: 'viewer', answer: json<Library[]>() },
  'POST /libraries': {
    summary: 'Register a folder of the server as a library and read it; returns the job number',
    role: 'administrator',
    body: library,
    answer: json<JobStarted>(),
  },
  'PUT /libraries/{library}/place': {
    summary: 'Set the folder of a library and read it again; returns the job number',
    role: 'administrator',
    body: libraryPlace,
    answer: json<JobStarted>(),
  },
  'POST /libraries/rescan': {
    summary: 'Read what is new or changed in all libraries; returns the job number',
    role: 'editor',
    answer: json<JobStarted>(),
  },
  'POST /libraries/{library}/rescan': {
    summary: 'Read what is new or changed in one library; returns the job number',
    role: 'editor',
    answer: json<JobStarted>(),
  },
  'POST /libraries/uploads': { summary: 'Begin a library of uploaded files', role: 'administrator', body: uploadDraft, answer: json<{ library: number }>() },
  'POST /libraries/{library}/files': {
    summary: 'Upload one file; its path goes in the header x-file-name, percent-encoded',
    role: 'editor',
    stream: true,
    answer: json<UploadOutcome>(),
  },
  'POST /libraries/{library}/archive': {
    summary: 'Upload a zip archive and unpack it; returns the job number',
    role: 'editor',
    stream: true,
    answer: json<JobStarted>(),
  },
  'GET /classes': { summary: 'Classes in order of precedence', role: 'viewer', answer: json<ClassRow[]>() },
  'PUT /classes': { summary: 'Define all classes and reclassify every file', role: 'administrator', body: classesDraft, answer: json<ClassRow[]>() },
} satisfies RouteTable;
