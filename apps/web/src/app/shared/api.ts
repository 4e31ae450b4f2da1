import { HttpClient, HttpErrorResponse, HttpEvent, HttpHeaders, HttpResponse } from '@angular/common/http';
import { Injectable, inject } from '@angular/core';
import {
  AcceptLines,
  AppliedCheck,
  ApplyReport,
  ApplyStarted,
  FirstPassword,
  PasswordChange,
  PersonChange,
  PersonDraft,
  PersonRow,
  TokenDraft,
  ApplyTray,
  WatchedFolderDraft,
  WatchedFolder,
  SendOutStarted,
  ReadingChoice,
  Layouts,
  LayoutDraft,
  LayoutCount,
  LayoutContent,
  DeliveryDraft,
  Delivery,
  DecideRequest,
  CloseSendOut,
  CellQuery,
  CellPage,
  ApplyTakeBack,
  BindingRequest,
  BlockRow,
  BlockTray,
  BlockView,
  BomLayout,
  BomTable,
  CellReason,
  ChangeSetRow,
  ChangedProperty,
  CheckIn,
  CheckInReport,
  ChoiceListRow,
  ClassRow,
  ClassesDraft,
  CleanUpPreview,
  CleanUpRequest,
  CopyRequest,
  CopyValues,
  Coverage,
  CoverageBy,
  DraftView,
  EditionRow,
  Effect,
  ExpressionResult,
  FileChoice,
  FileDetails,
  FileFilter,
  FileGeometry,
  FillData,
  FilesPage,
  ForeignDraft,
  ForeignMapping,
  ForeignPreview,
  ForeignRequest,
  FoundDraft,
  FoundValues,
  GridPage,
  GridQuery,
  ReplacementPreview,
  ReplacementRequest,
  JobError,
  JobRow,
  Library,
  JobStarted,
  Learned,
  LibraryDraft,
  LineRow,
  LinkRow,
  ListPreview,
  ListSource,
  MassRemark,
  Naming,
  NamingPlan,
  NewToken,
  OlderStart,
  OtherName,
  Overview,
  Problem,
  ProposedValues,
  Remark,
  RolloutAction,
  RolloutRow,
  SavedChecks,
  SavedForm,
  StartComparison,
  StartFilesView,
  StartPlan,
  ToDo,
  ValueSetDraft,
  ValueSetRow,
  GridGroup,
  GridView,
  GroupBy,
  GridViewDraft,
  WideDraft,
  WideMembers,
  WideRow,
  WideView,
  SendOutRequest,
  SendOutRow,
  SeriesNumber,
  SeriesRow,
  SessionState,
  Settings,
  SettleLine,
  SignIn,
  Survey,
  SurveyComparison,
  SurveyRow,
  TakeBackRow,
  TakeBackView,
  TokenRow,
  Tray,
  TrayLines,
  TryExpression,
  TryFinding,
  TryQuery,
  TrySummary,
  TwinRow,
  UploadOutcome,
  VaultFile,
  VaultState,
  HistoryQuery,
  UpToDate,
  SchemaPlaces,
  BroughtUpToDate,
  TrayLine,
} from '@rule/contract';
import { ChoiceListDraft, Property, PropertyDraft, Schema, SchemaChange, SeriesDraft } from '@rule/core/schema';
import type { Practice, StandardFinding, Starter } from '@rule/core/standards';
import { Hop } from '@rule/core/trace';
import { Link } from '@rule/core/vault';
import { Observable, catchError, filter, from, map, of, retry, switchMap, take, throwError, timer } from 'rxjs';
import { LongWork } from './long-work';

/** What went wrong with a request, in the server's words where it had any. */
export function problemOf(error: unknown): Problem {
  const other = (code: string, detail: string, status = 0): Problem => ({ type: 'about:blank', title: code, status, code, detail });
  if (!(error instanceof HttpErrorResponse)) return other('unexpected', error instanceof Error ? error.message : String(error));
  const body = parse(error.error as unknown);
  if (body && typeof body === 'object' && 'code' in body) return body as Problem;
  return error.status === 0
    ? other('offline', 'The server does not answer. Try again in a moment, and look first whether what you did last has reached it.')
    : other('unexpected', `The server answered with status ${error.status}.`, error.status);
}

function parse(body: unknown): unknown {
  if (typeof body !== 'string') return body;
  try {
    return JSON.parse(body);
  } catch {
    return undefined;
  }
}

/** How often a job that goes on is looked at, in milliseconds. */
const LOOK_EVERY = 700;

/** The server's API, one method a route. */
@Injectable({ providedIn: 'root' })
export class Api {
  private readonly http = inject(HttpClient);
  private readonly longWork = inject(LongWork);

  /** What came of writing files, however long it takes: a job that goes on is followed to its end, also over times without an answer. */
  private reportOf(started: Observable<ApplyStarted>): Observable<ApplyReport> {
    return started.pipe(
      switchMap(({ job, report }) => {
        if (report) return of(report);
        this.longWork.begun.next(job);
        return timer(LOOK_EVERY, LOOK_EVERY).pipe(
          switchMap(() => this.get<JobRow>(`/jobs/${job}`)),
          retry({ delay: LOOK_EVERY }),
          filter((row) => row.state !== 'waiting' && row.state !== 'running'),
          take(1),
          map((row) => {
            if (row.state === 'done') return row.result as ApplyReport;
            throw new Error(row.message ?? 'It was cancelled. Nothing was changed.');
          }),
        );
      }),
    );
  }

  private get<T>(path: string, query: object = {}): Observable<T> {
    // Clauses travel as JSON.
    const params = Object.fromEntries(
      Object.entries(query)
        .filter(([, value]) => value !== undefined && value !== null && value !== '')
        .map(([key, value]) => [key, typeof value === 'object' ? JSON.stringify(value) : (value as string | number | boolean)]),
    );
    return this.http.get<T>(`/api${path}`, { params });
  }
  private post<T>(path: string, body: unknown = {}): Observable<T> {
    return this.http.post<T>(`/api${path}`, body);
  }
  private put<T>(path: string, body: unknown): Observable<T> {
    return this.http.put<T>(`/api${path}`, body);
  }
  private download(path: string, body: unknown): Observable<{ name: string; blob: Blob }> {
    return this.http.post(`/api${path}`, body, { observe: 'response', responseType: 'blob' }).pipe(
      map((response: HttpResponse<Blob>) => {
        const name = /filename\*=UTF-8''([^;]+)/.exec(response.headers.get('content-disposition') ?? '')?.[1];
        return { name: name ? decodeURIComponent(name) : 'table', blob: response.body! };
      }),
      // A refusal comes as a blob too: its sentence is read out of it.
      catchError((error: unknown) => {
        if (!(error instanceof HttpErrorResponse) || !(error.error instanceof Blob)) return throwError(() => error);
        const { headers, status, statusText, url } = error;
        return from(error.error.text()).pipe(
          switchMap((text) => throwError(() => new HttpErrorResponse({ error: text, headers, status, statusText, url: url ?? path }))),
        );
      }),
    );
  }

  session = () => this.get<SessionState>('/session');
  signIn = (body: SignIn) => this.post<SessionState>('/session', body);
  signOut = () => this.http.delete('/api/session');
  overview = () => this.get<Overview>('/overview');

  survey = (filter: FileFilter = {}) => this.get<Survey>('/survey', filter);
  remarks = () => this.get<Remark[]>('/survey/remarks');
  coverage = (by: CoverageBy, filter: FileFilter) => this.get<Coverage>('/survey/coverage', { ...filter, by });
  twins = () => this.get<TwinRow[]>('/survey/twins');
  otherNames = () => this.get<OtherName[]>('/survey/other-names');
  foundValues = (name: string, filter: FileFilter) => this.get<FoundValues>('/survey/values', { ...filter, name });
  files = (query: FileFilter & { offset?: number; limit?: number; name?: string }) => this.get<FilesPage>('/survey/files', query);
  masses = () => this.get<MassRemark[]>('/survey/masses');
  drafts = (names: readonly string[]) => this.post<FoundDraft[]>('/survey/drafts', { names });
  surveys = (query: Partial<HistoryQuery> = {}) => this.get<SurveyRow[]>('/surveys', query);
  keepSurvey = (title: string, filter: FileFilter) => this.post<SurveyRow>('/surveys', { ...filter, title });
  compareSurvey = (id: number) => this.get<SurveyComparison>(`/surveys/${id}/comparison`);
  surveyTable = (body: { format: 'xlsx' | 'csv'; filter: FileFilter; names: readonly string[] }) => this.download('/survey/table', body);
  learned = () => this.get<Learned>('/survey/learned');
  foreign = () => this.get<ForeignMapping[]>('/foreign');
  saveForeign = (id: number | null, body: ForeignDraft) =>
    id === null ? this.post<ForeignMapping>('/foreign', body) : this.put<ForeignMapping>(`/foreign/${id}`, body);
  removeForeign = (id: number) => this.http.delete(`/api/foreign/${id}`);
  previewForeign = (body: ForeignRequest) => this.post<ForeignPreview>('/foreign/preview', body);
  foreignTray = (body: ForeignRequest) => this.post<{ lines: number }>('/foreign/tray', body);
  classes = () => this.get<ClassRow[]>('/classes');
  saveClasses = (body: ClassesDraft) => this.put<ClassRow[]>('/classes', body);
  previewCleanUp = (body: CleanUpRequest) => this.post<CleanUpPreview>('/clean-up/preview', body);
  cleanUp = (body: CleanUpRequest) => this.post<{ lines: number }>('/clean-up/tray', body);
  copyValues = (body: CopyValues) => this.post<{ lines: number; skipped: number }>('/clean-up/copy', body);

  addLibrary = (body: LibraryDraft) => this.post<JobStarted>('/libraries', body);
  addUpload = (name: string) => this.post<{ library: number }>('/libraries/uploads', { name });
  rescan = (library: number | null = null) => this.post<JobStarted>(library === null ? '/libraries/rescan' : `/libraries/${library}/rescan`);
  /** Uploads one file, with events that tell how far it is. */
  upload<T extends UploadOutcome | JobStarted>(library: number, kind: 'files' | 'archive', path: string, file: File): Observable<HttpEvent<T>> {
    return this.http.post<T>(`/api/libraries/${library}/${kind}`, file, {
      headers: new HttpHeaders({ 'x-file-name': encodeURIComponent(path), 'content-type': 'application/octet-stream' }),
      observe: 'events',
      reportProgress: true,
    });
  }

  jobs = () => this.get<JobRow[]>('/jobs');
  job = (id: number) => this.get<JobRow>(`/jobs/${id}`);
  jobErrors = (id: number) => this.get<JobError[]>(`/jobs/${id}/errors`);
  cancelJob = (id: number) => this.post<JobRow>(`/jobs/${id}/cancel`);

  geometry = (id: number) => this.get<FileGeometry>(`/files/${id}/geometry`);
  file = (id: number) => this.get<FileDetails>(`/files/${id}`);
  settleModel = (drawing: number, model: number | null) => this.put<null>(`/files/${drawing}/model`, { model });
  settlePart = (assembly: number, product: string, part: number | null) => this.put<null>(`/files/${assembly}/part`, { product, part });

  properties = () => this.get<Property[]>('/properties');
  /** Sends a file as the body of a request. */
  private sendFile<T>(path: string, file: File, more: Readonly<Record<string, string>> = {}) {
    return this.http.post<T>(`/api${path}`, file, {
      headers: new HttpHeaders({ ...more, 'x-file-name': encodeURIComponent(file.name), 'content-type': 'application/octet-stream' }),
    });
  }

  editions = () => this.get<EditionRow[]>('/schema/editions');
  compareEditions = (from: number, to: number) => this.get<SchemaChange[]>('/schema/compare', { from, to });
  draft = () => this.get<DraftView>('/schema/draft');
  addProperties = (properties: readonly PropertyDraft[]) => this.post<{ ids: number[]; draft: DraftView }>('/schema/draft/properties', { properties });
  changeProperties = (properties: readonly ChangedProperty[]) => this.put<DraftView>('/schema/draft/properties', { properties });
  removeProperty = (id: number) => this.http.delete<DraftView>(`/api/schema/draft/properties/${id}`);
  orderProperties = (ids: readonly number[]) => this.put<DraftView>('/schema/draft/order', { ids });
  saveChecks = (body: SavedChecks) => this.put<DraftView>('/schema/draft/checks', body);
  saveStrangers = (strangers: Schema['strangers']) => this.put<DraftView>('/schema/draft/strangers', { strangers });
  saveForm = (body: SavedForm) => this.put<{ id: number; draft: DraftView }>('/schema/draft/forms', body);
  removeForm = (id: number) => this.http.delete<DraftView>(`/api/schema/draft/forms/${id}`);
  orderForms = (ids: readonly number[]) => this.put<DraftView>('/schema/draft/forms/order', { ids });
  reinstateDraft = () => this.post<DraftView>('/schema/draft/reinstate');
  discardDraft = () => this.http.delete<DraftView>('/api/schema/draft');
  bringIntoForce = (note: string, revision: number) => this.post<{ edition: number }>('/schema/draft/in-force', { note, revision });
  goBackTo = (edition: number) => this.post<DraftView>(`/schema/editions/${edition}/draft`);
  starters = () => this.get<Starter[]>('/schema/starters');
  takeStarter = (starter: string, names: readonly string[] | null) => this.post<DraftView>('/schema/draft/starter', { starter, names });
  standards = (practice: Practice) => this.get<StandardFinding[]>('/schema/standards', { practice });
  tryDraft = () => this.post<{ id: number; job: number }>('/schema/tries');
  trySummary = () => this.get<{ summary: TrySummary | null }>('/schema/tries');
  tryFindings = (id: number, query: Partial<TryQuery>) => this.get<{ total: number; rows: TryFinding[] }>(`/schema/tries/${id}`, query);
  repair = (id: number, effect: Effect, property: number) => this.post<{ lines: number; open: number }>(`/schema/tries/${id}/repair`, { effect, property });
  explainRule = (body: TryExpression) => this.post<ExpressionResult[]>('/schema/explain', body);
  rollout = () => this.get<RolloutRow[]>('/schema/rollout');
  rolloutMissing = (property: number) => this.get<{ file: number; path: string; reason: string | null }[]>(`/schema/rollout/${property}`);
  rolloutTray = (property: number, action: RolloutAction) => this.post<{ lines: number; open: number }>('/schema/rollout', { property, action });
  takeDocument = (file: File, as: 'document' | 'table') => this.sendFile<DraftView>(`/schema/draft/${as}`, file);
  schemaWorkbook = () => this.http.get('/api/schema/document.xlsx', { responseType: 'blob' });
  schemaJson = () => this.http.get('/api/schema/document.json', { responseType: 'blob' });

  naming = () => this.get<Naming>('/file-names');
  saveNaming = (body: Naming) => this.put<Naming>('/file-names', body);
  namingPlan = () => this.get<NamingPlan>('/file-names/plan');
  namesToTray = (files: readonly number[]) => this.post<{ lines: number; barred: number }>('/file-names/tray', { files });
  copyUnderNewNames = (body: CopyRequest) => this.post<{ copied: { from: string; to: string }[]; lines: number }>('/file-names/copies', body);

  startFiles = () => this.get<StartFilesView>('/start-files');
  compareStartFiles = (plan: StartPlan) => this.post<StartComparison[]>('/start-files/compare', plan);
  publishStartFiles = (plan: StartPlan) => this.post<StartComparison[]>('/start-files/publish', plan);
  olderStarts = () => this.get<{ total: number; files: OlderStart[] }>('/start-files/older');
  bringUp = (files: readonly number[]) => this.post<{ lines: number }>('/start-files/bring-up', { files });

  choiceLists = () => this.get<ChoiceListRow[]>('/lists');
  saveChoiceList = (id: number | null, list: ChoiceListDraft) =>
    id === null ? this.post<ChoiceListRow>('/lists', list) : this.put<ChoiceListRow>(`/lists/${id}`, list);
  removeChoiceList = (id: number) => this.http.delete(`/api/lists/${id}`);
  setListSource = (id: number, source: ListSource | null) => this.put<ChoiceListRow>(`/lists/${id}/source`, { source });
  previewList = (id: number, file: File | null) =>
    file ? this.sendFile<ListPreview>(`/lists/${id}/preview-file`, file) : this.post<ListPreview>(`/lists/${id}/preview`);
  loadList = (id: number, token: string, file: File | null) =>
    file ? this.sendFile<ChoiceListRow>(`/lists/${id}/load-file`, file, { 'x-token': token }) : this.post<ChoiceListRow>(`/lists/${id}/load`, { token });
  replaceRetired = (id: number) => this.post<{ lines: number }>(`/lists/${id}/replace`);

  numberSeries = () => this.get<SeriesRow[]>('/series');
  saveSeries = (id: number | null, series: SeriesDraft) =>
    id === null ? this.post<SeriesRow>('/series', series) : this.put<SeriesRow>(`/series/${id}`, series);
  removeSeries = (id: number) => this.http.delete(`/api/series/${id}`);
  drawNumber = (series: number, note: string) => this.post<SeriesNumber>(`/series/${series}/draw`, { file: null, note });
  drawForFiles = (property: number, files: readonly number[]) =>
    this.post<{ lines: number; skipped: { path: string; message: string }[] }>('/series/draw', { property, files });
  releaseNumber = (id: number) => this.post<null>(`/series/numbers/${id}/release`);

  way = (id: number) => this.get<Hop[]>(`/properties/${id}/way`);
  libraries = () => this.get<Library[]>('/libraries');
  placeLibrary = (id: number, path: string) => this.put<JobStarted>(`/libraries/${id}/place`, { path });
  people = () => this.get<PersonRow[]>('/people');
  addPerson = (body: PersonDraft) => this.post<FirstPassword>('/people', body);
  changePerson = (id: number, body: PersonChange) => this.put<PersonRow>(`/people/${id}`, body);
  resetPassword = (id: number) => this.post<FirstPassword>(`/people/${id}/password`);
  removePerson = (id: number) => this.http.delete(`/api/people/${id}`);
  renameMyself = (displayName: string) => this.put<null>('/profile', { displayName });
  changePassword = (body: PasswordChange) => this.put<null>('/profile/password', body);
  tokens = () => this.get<TokenRow[]>('/tokens');
  makeToken = (body: TokenDraft) => this.post<NewToken>('/tokens', body);
  removeToken = (id: number) => this.http.delete(`/api/tokens/${id}`);
  settings = () => this.get<Settings>('/settings');
  saveSettings = (body: Settings) => this.put<Settings>('/settings', body);

  values = (query: Partial<GridQuery>) => this.get<GridPage>('/values', query);
  findReplacements = (body: ReplacementRequest) => this.post<ReplacementPreview>('/values/find', body);
  filters = () => this.get<{ folders: { folder: string; files: number }[]; kinds: { kind: string; files: number }[] }>('/values/filters');

  fill = (choice: FileChoice) => this.post<FillData>('/fill', choice);
  valueSets = () => this.get<ValueSetRow[]>('/fill/sets');
  saveValueSet = (body: ValueSetDraft) => this.post<ValueSetRow[]>('/fill/sets', body);
  removeValueSet = (id: number) => this.http.delete(`/api/fill/sets/${id}`);
  favourite = (body: { property: number; text: string; on: boolean }) => this.post<null>('/fill/favourites', body);
  gridGroups = (query: FileFilter & { group: GroupBy }) => this.get<GridGroup[]>('/values/groups', query);
  why = (file: number, property: number) => this.get<CellReason>(`/files/${file}/why`, { property });
  gridViews = () => this.get<GridView[]>('/values/views');
  saveGridView = (body: GridViewDraft) => this.post<GridView[]>('/values/views', body);
  removeGridView = (id: number) => this.http.delete(`/api/values/views/${id}`);
  toDos = () => this.get<ToDo[]>('/to-dos');
  toDoTray = (files: readonly number[]) => this.post<{ lines: number }>('/to-dos/tray', { files });
  dismissToDos = (files: readonly number[]) => this.post<null>('/to-dos/dismiss', { files });
  projects = () => this.get<WideRow[]>('/projects');
  project = (id: number) => this.get<WideView>(`/projects/${id}`);
  saveProject = (id: number | null, body: WideDraft) => (id === null ? this.post<WideRow>('/projects', body) : this.put<WideRow>(`/projects/${id}`, body));
  removeProject = (id: number) => this.http.delete(`/api/projects/${id}`);
  projectMembers = (id: number, body: WideMembers) => this.post<null>(`/projects/${id}/members`, body);
  pushProject = (id: number) => this.post<{ lines: number; barred: number }>(`/projects/${id}/push`);

  tray = () => this.get<Tray>('/tray');
  propose = (body: ProposedValues) => this.post<Tray>('/tray', body);
  schemaPlaces = () => this.get<SchemaPlaces>('/schema/places');
  bringUpToDate = (body: UpToDate) => this.post<BroughtUpToDate>('/values/up-to-date', body);
  pendingLines = (files: readonly number[]) => this.post<TrayLine[]>('/tray/pending', { files });
  undoStep = (again: boolean) => this.post<Tray>('/tray/undo', { again });
  dropLines = (lines: TrayLines['lines']) => this.post<Tray>('/tray/drop', { lines });
  acceptLines = (body: AcceptLines) => this.post<Tray>('/tray/accept', body);
  settleLine = (body: SettleLine) => this.post<Tray>('/tray/settle', body);
  applyTray = (body: ApplyTray) => this.reportOf(this.post<ApplyStarted>('/tray/apply', body));
  history = (query: Partial<HistoryQuery> = {}) => this.get<ChangeSetRow[]>('/history', query);
  changeSetRow = (id: number) => this.get<ChangeSetRow>(`/history/${id}/set`);
  changeSet = (id: number) => this.get<LineRow[]>(`/history/${id}`);
  checkChangeSet = (id: number) => this.get<AppliedCheck>(`/history/${id}/check`);
  revert = (id: number) => this.reportOf(this.post<ApplyStarted>(`/history/${id}/revert`));

  blocks = () => this.get<BlockRow[]>('/title-blocks');
  block = (file: number, block: string) => this.get<BlockView>(`/files/${file}/title-block`, { block });
  bind = (body: BindingRequest) => this.put<null>('/title-blocks/bindings', body);
  blockTray = (body: BlockTray) => this.post<Tray>('/title-blocks/tray', body);

  assemblies = () => this.get<{ id: number; path: string; unmatched: number }[]>('/bom/assemblies');
  layouts = () => this.get<BomLayout[]>('/bom/layouts');
  saveLayout = (id: number | null, layout: Omit<BomLayout, 'id'>) =>
    id === null ? this.post<BomLayout>('/bom/layouts', layout) : this.put<BomLayout>(`/bom/layouts/${id}`, layout);
  bom = (file: number) => this.get<BomTable>(`/files/${file}/bom`);
  bomCsv = (file: number, columns: readonly number[]) => this.download(`/files/${file}/bom.csv`, { columns });

  vault = () => this.get<VaultState>('/vault');
  saveLink = (id: number | null, link: Link) => (id === null ? this.post<LinkRow>('/vault/links', link) : this.put<LinkRow>(`/vault/links/${id}`, link));
  removeLink = (id: number) => this.http.delete(`/api/vault/links/${id}`);
  record = (file: number) => this.get<VaultFile>(`/files/${file}/record`);
  checkIn = (file: number, body: CheckIn) => this.post<CheckInReport>(`/files/${file}/check-in`, body);

  count = (filter: FileFilter) => this.get<{ files: number }>('/values/count', filter);
  tableLayouts = () => this.get<Layouts>('/exchange/layouts');
  saveTableLayout = (id: number | null, body: LayoutDraft) =>
    id === null ? this.post<{ id: number }>('/exchange/layouts', body) : this.put<{ id: number }>(`/exchange/layouts/${id}`, body);
  removeTableLayout = (id: number) => this.http.delete(`/api/exchange/layouts/${id}`);
  countRows = (body: LayoutContent) => this.post<LayoutCount>('/exchange/count', body);
  sendOut = (body: SendOutRequest) => this.post<SendOutStarted>('/exchange/send-outs', body);
  sendOuts = () => this.get<SendOutRow[]>('/exchange/send-outs');
  closeSendOut = (id: number, body: CloseSendOut) => this.put<null>(`/exchange/send-outs/${id}/closed`, body);
  takeBacks = () => this.get<TakeBackRow[]>('/exchange/take-backs');
  takeBack = (file: File) => this.sendFile<TakeBackView>('/exchange/take-backs', file);
  takeBackView = (id: number) => this.get<TakeBackView>(`/exchange/take-backs/${id}`);
  takeBackReading = (id: number, body: ReadingChoice) => this.put<TakeBackView>(`/exchange/take-backs/${id}/reading`, body);
  takeBackReopen = (id: number) => this.post<TakeBackView>(`/exchange/take-backs/${id}/reopen`);
  takeBackCells = (id: number, query: CellQuery) => this.get<CellPage>(`/exchange/take-backs/${id}/cells`, query);
  takeBackDecide = (id: number, body: DecideRequest) => this.post<TakeBackView>(`/exchange/take-backs/${id}/decisions`, body);
  takeBackTray = (id: number) => this.post<TakeBackView>(`/exchange/take-backs/${id}/tray`);
  takeBackApply = (id: number, body: ApplyTakeBack) => this.reportOf(this.post<ApplyStarted>(`/exchange/take-backs/${id}/apply`, body));
  deliveries = () => this.get<Delivery[]>('/exchange/deliveries');
  saveDelivery = (id: number | null, body: DeliveryDraft) =>
    id === null ? this.post<{ id: number }>('/exchange/deliveries', body) : this.put<{ id: number }>(`/exchange/deliveries/${id}`, body);
  removeDelivery = (id: number) => this.http.delete(`/api/exchange/deliveries/${id}`);
  deliverNow = (id: number) => this.post<NonNullable<Delivery['last']>>(`/exchange/deliveries/${id}/now`);
  watchedFolders = () => this.get<WatchedFolder[]>('/exchange/folders');
  saveWatchedFolder = (id: number | null, body: WatchedFolderDraft) =>
    id === null ? this.post<{ id: number }>('/exchange/folders', body) : this.put<{ id: number }>(`/exchange/folders/${id}`, body);
  removeWatchedFolder = (id: number) => this.http.delete(`/api/exchange/folders/${id}`);
}

/** Hands a downloaded file to the browser. */
export function saveBlob({ name, blob }: { name: string; blob: Blob }): void {
  const url = URL.createObjectURL(blob);
  const anchor = document.createElement('a');
  anchor.href = url;
  anchor.download = name;
  anchor.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
