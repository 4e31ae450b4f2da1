import { ClassRow, FileDetails, FileGeometry, JobStarted, Library, UploadOutcome } from '..';
import { classesDraft, library, libraryPlace, settleModel, settlePart, uploadDraft } from '../checks';
import { RouteTable, bytes, json, nothing } from '../route';

/** Libraries, classes and single files. */
export const libraryRoutes = {
  'GET /files/{file}': { summary: 'What a file holds', role: 'viewer', answer: json<FileDetails>() },
  'PUT /files/{file}/model': { summary: 'Settle which model a drawing shows', role: 'editor', body: settleModel, answer: nothing },
  'PUT /files/{file}/part': { summary: "Settle which part file an assembly's copy belongs to", role: 'editor', body: settlePart, answer: nothing },
  'GET /files/{file}/geometry': { summary: 'Volume, area, box, centre, mass and material of a file', role: 'viewer', answer: json<FileGeometry>() },
  'GET /files/{file}/picture': { summary: 'A picture of a part or assembly (PNG)', role: 'viewer', answer: bytes('image/png') },
  'GET /files/{file}/content': { summary: 'A file as it stands in its library', role: 'viewer', answer: bytes('application/octet-stream') },
  'GET /libraries': { summary: 'Libraries and where they stand', role: 'viewer', answer: json<Library[]>() },
  'POST /libraries': {
    summary: 'Register a folder of the server as a library and read it; answers with the number of the job',
    role: 'administrator',
    body: library,
    answer: json<JobStarted>(),
  },
  'PUT /libraries/{library}/place': {
    summary: 'Say where a library stands, the same or another folder, and read it anew; answers with the number of the job',
    role: 'administrator',
    body: libraryPlace,
    answer: json<JobStarted>(),
  },
  'POST /libraries/rescan': {
    summary: 'Read what is new or changed in all libraries; answers with the number of the job',
    role: 'editor',
    answer: json<JobStarted>(),
  },
  'POST /libraries/{library}/rescan': {
    summary: 'Read what is new or changed in one library; answers with the number of the job',
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
    summary: 'Upload a zip archive and unpack it; answers with the number of the job',
    role: 'editor',
    stream: true,
    answer: json<JobStarted>(),
  },
  'GET /classes': { summary: 'Classes in the order in which they are tried', role: 'viewer', answer: json<ClassRow[]>() },
  'PUT /classes': { summary: 'Define all classes and sort every file anew', role: 'administrator', body: classesDraft, answer: json<ClassRow[]>() },
} satisfies RouteTable;
