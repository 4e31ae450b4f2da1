import { Injectable, inject } from '@angular/core';
import {
  AcceptLines,
  PasswordChange,
  PersonChange,
  PersonDraft,
  TokenDraft,
  ApplyTray,
  WatchedFolderDraft,
  ReadingChoice,
  LayoutDraft,
  LayoutContent,
  DeliveryDraft,
  DecideRequest,
  CloseSendOut,
  CellQuery,
  ApplyTakeBack,
  BoundCells,
  CellTray,
  AnchorChange,
  BlockCellChange,
  BlockExchange,
  BomLayout,
  BomLayoutDraft,
  BomNumber,
  BomRenumber,
  BomRequest,
  BomRowRequest,
  BomTyped,
  CompareBoms,
  KeepBom,
  SendBom,
  PlaceMarks,
  PutDrawn,
  SetMark,
  SheetPageQuery,
  ChangedProperty,
  CheckIn,
  FieldOrder,
  LegacyList,
  RecordEdits,
  RecordsQuery,
  VaultRun,
  ClassesDraft,
  CleanUpRequest,
  CopyRequest,
  CopyValues,
  CoverageBy,
  CoverageOf,
  Effect,
  FileChoice,
  FileFilter,
  ForeignDraft,
  ForeignRequest,
  GridQuery,
  ReplacementRequest,
  LibraryDraft,
  ListSource,
  Naming,
  ProposedValues,
  RolloutAction,
  SavedChecks,
  SavedForm,
  StartPlan,
  ValueSetDraft,
  GroupBy,
  GridViewDraft,
  WideDraft,
  WideMembers,
  SendOutRequest,
  Settings,
  SheetModel,
  SheetsQuery,
  SettleLine,
  SignIn,
  TakeUp,
  TypedCell,
  TryValues,
  TrayLines,
  TryExpression,
  TryQuery,
  HistoryQuery,
  UpToDate,
} from '@rule/contract';
import { ChoiceListDraft, Link, PropertyDraft, Schema, SeriesDraft } from '@rule/core/schema';
import type { Practice } from '@rule/core/standards';
import { Server } from './server';

/** The server's API, one method per route. */
@Injectable({ providedIn: 'root' })
export class Api {
  private readonly server = inject(Server);

  session = () => this.server.ask('GET /session');
  signIn = (body: SignIn) => this.server.ask('POST /session', { body });
  signOut = () => this.server.ask('DELETE /session');
  overview = () => this.server.ask('GET /overview');

  survey = (filter: FileFilter = {}) => this.server.ask('GET /survey', { query: filter });
  remarks = () => this.server.ask('GET /survey/remarks');
  coverage = (of: CoverageOf, by: CoverageBy, filter: FileFilter) => this.server.ask('GET /survey/coverage', { query: { ...filter, by, of } });
  twins = () => this.server.ask('GET /survey/twins');
  otherNames = () => this.server.ask('GET /survey/other-names');
  foundValues = (name: string, filter: FileFilter) => this.server.ask('GET /survey/values', { query: { ...filter, name } });
  files = (query: FileFilter & { offset?: number; limit?: number; name?: string }) => this.server.ask('GET /survey/files', { query });
  masses = () => this.server.ask('GET /survey/masses');
  drafts = (names: readonly string[]) => this.server.ask('POST /survey/drafts', { body: { names } });
  surveys = (query: Partial<HistoryQuery> = {}) => this.server.ask('GET /surveys', { query });
  keepSurvey = (title: string, filter: FileFilter) => this.server.ask('POST /surveys', { body: { ...filter, title } });
  compareSurvey = (id: number) => this.server.ask('GET /surveys/{survey}/comparison', { params: { survey: id } });
  surveyTable = (body: { format: 'xlsx' | 'csv'; filter: FileFilter; names: readonly string[] }) => this.server.download('POST /survey/table', { body });
  learned = () => this.server.ask('GET /survey/learned');
  foreign = () => this.server.ask('GET /foreign');
  saveForeign = (id: number | null, body: ForeignDraft) =>
    id === null ? this.server.ask('POST /foreign', { body }) : this.server.ask('PUT /foreign/{mapping}', { params: { mapping: id }, body });
  removeForeign = (id: number) => this.server.ask('DELETE /foreign/{mapping}', { params: { mapping: id } });
  previewForeign = (body: ForeignRequest) => this.server.ask('POST /foreign/preview', { body });
  foreignTray = (body: ForeignRequest) => this.server.ask('POST /foreign/tray', { body });
  classes = () => this.server.ask('GET /classes');
  saveClasses = (body: ClassesDraft) => this.server.ask('PUT /classes', { body });
  previewCleanUp = (body: CleanUpRequest) => this.server.ask('POST /clean-up/preview', { body });
  cleanUp = (body: CleanUpRequest) => this.server.ask('POST /clean-up/tray', { body });
  copyValues = (body: CopyValues) => this.server.ask('POST /clean-up/copy', { body });

  addLibrary = (body: LibraryDraft) => this.server.ask('POST /libraries', { body });
  addUpload = (name: string) => this.server.ask('POST /libraries/uploads', { body: { name } });
  rescan = (library: number | null = null) =>
    library === null ? this.server.ask('POST /libraries/rescan') : this.server.ask('POST /libraries/{library}/rescan', { params: { library } });
  /** Uploads a file with progress events. */
  uploadFile = (library: number, path: string, file: File) => this.server.upload('POST /libraries/{library}/files', path, file, { library });
  uploadArchive = (library: number, path: string, file: File) => this.server.upload('POST /libraries/{library}/archive', path, file, { library });

  jobs = () => this.server.ask('GET /jobs');
  job = (id: number) => this.server.ask('GET /jobs/{job}', { params: { job: id } });
  jobErrors = (id: number) => this.server.ask('GET /jobs/{job}/errors', { params: { job: id } });
  cancelJob = (id: number) => this.server.ask('POST /jobs/{job}/cancel', { params: { job: id } });

  geometry = (id: number) => this.server.ask('GET /files/{file}/geometry', { params: { file: id } });
  file = (id: number) => this.server.ask('GET /files/{file}', { params: { file: id } });
  settleModel = (drawing: number, model: number | null) => this.server.ask('PUT /files/{file}/model', { params: { file: drawing }, body: { model } });
  settlePart = (assembly: number, product: string, part: number | null) =>
    this.server.ask('PUT /files/{file}/part', { params: { file: assembly }, body: { product, part } });

  properties = () => this.server.ask('GET /properties');
  editions = () => this.server.ask('GET /schema/editions');
  compareEditions = (from: number, to: number) => this.server.ask('GET /schema/compare', { query: { from, to } });
  draft = () => this.server.ask('GET /schema/draft');
  addProperties = (properties: readonly PropertyDraft[]) => this.server.ask('POST /schema/draft/properties', { body: { properties } });
  changeProperties = (properties: readonly ChangedProperty[]) => this.server.ask('PUT /schema/draft/properties', { body: { properties } });
  removeProperty = (id: number) => this.server.ask('DELETE /schema/draft/properties/{property}', { params: { property: id } });
  orderProperties = (ids: readonly number[]) => this.server.ask('PUT /schema/draft/order', { body: { ids } });
  saveChecks = (body: SavedChecks) => this.server.ask('PUT /schema/draft/checks', { body });
  saveStrangers = (strangers: Schema['strangers']) => this.server.ask('PUT /schema/draft/strangers', { body: { strangers } });
  saveForm = (body: SavedForm) => this.server.ask('PUT /schema/draft/forms', { body });
  removeForm = (id: number) => this.server.ask('DELETE /schema/draft/forms/{form}', { params: { form: id } });
  orderForms = (ids: readonly number[]) => this.server.ask('PUT /schema/draft/forms/order', { body: { ids } });
  reinstateDraft = () => this.server.ask('POST /schema/draft/reinstate');
  discardDraft = () => this.server.ask('DELETE /schema/draft');
  bringIntoForce = (note: string, revision: number) => this.server.ask('POST /schema/draft/in-force', { body: { note, revision } });
  goBackTo = (edition: number) => this.server.ask('POST /schema/editions/{edition}/draft', { params: { edition } });
  starters = () => this.server.ask('GET /schema/starters');
  takeStarter = (starter: string, names: readonly string[] | null) => this.server.ask('POST /schema/draft/starter', { body: { starter, names } });
  standards = (practice: Practice) => this.server.ask('GET /schema/standards', { query: { practice } });
  tryDraft = () => this.server.ask('POST /schema/tries');
  trySummary = () => this.server.ask('GET /schema/tries');
  tryFindings = (id: number, query: Partial<TryQuery>) => this.server.ask('GET /schema/tries/{try}', { params: { try: id }, query });
  repair = (id: number, effect: Effect, property: number) =>
    this.server.ask('POST /schema/tries/{try}/repair', { params: { try: id }, body: { effect, property } });
  explainRule = (body: TryExpression) => this.server.ask('POST /schema/explain', { body });
  rollout = () => this.server.ask('GET /schema/rollout');
  rolloutMissing = (property: number) => this.server.ask('GET /schema/rollout/{property}', { params: { property } });
  rolloutTray = (property: number, action: RolloutAction) => this.server.ask('POST /schema/rollout', { body: { property, action } });
  takeDocument = (file: File, as: 'document' | 'table') => this.server.sendFile(`POST /schema/draft/${as}`, file);
  schemaWorkbook = () => this.server.download('GET /schema/document.xlsx');
  schemaJson = () => this.server.ask('GET /schema/document.json');

  naming = () => this.server.ask('GET /file-names');
  saveNaming = (body: Naming) => this.server.ask('PUT /file-names', { body });
  namingPlan = () => this.server.ask('GET /file-names/plan');
  namesToTray = (files: readonly number[]) => this.server.ask('POST /file-names/tray', { body: { files } });
  copyUnderNewNames = (body: CopyRequest) => this.server.ask('POST /file-names/copies', { body });

  startFiles = () => this.server.ask('GET /start-files');
  compareStartFiles = (plan: StartPlan) => this.server.ask('POST /start-files/compare', { body: plan });
  publishStartFiles = (plan: StartPlan) => this.server.ask('POST /start-files/publish', { body: plan });
  olderStarts = () => this.server.ask('GET /start-files/older');
  bringUp = (files: readonly number[]) => this.server.ask('POST /start-files/bring-up', { body: { files } });

  choiceLists = () => this.server.ask('GET /lists');
  saveChoiceList = (id: number | null, list: ChoiceListDraft) =>
    id === null ? this.server.ask('POST /lists', { body: list }) : this.server.ask('PUT /lists/{list}', { params: { list: id }, body: list });
  removeChoiceList = (id: number) => this.server.ask('DELETE /lists/{list}', { params: { list: id } });
  setListSource = (id: number, source: ListSource | null) => this.server.ask('PUT /lists/{list}/source', { params: { list: id }, body: { source } });
  previewList = (id: number, file: File | null) =>
    file
      ? this.server.sendFile('POST /lists/{list}/preview-file', file, { list: id })
      : this.server.ask('POST /lists/{list}/preview', { params: { list: id } });
  loadList = (id: number, token: string, file: File | null) =>
    file
      ? this.server.sendFile('POST /lists/{list}/load-file', file, { list: id }, { 'x-token': token })
      : this.server.ask('POST /lists/{list}/load', { params: { list: id }, body: { token } });
  replaceRetired = (id: number) => this.server.ask('POST /lists/{list}/replace', { params: { list: id } });

  numberSeries = () => this.server.ask('GET /series');
  saveSeries = (id: number | null, series: SeriesDraft) =>
    id === null ? this.server.ask('POST /series', { body: series }) : this.server.ask('PUT /series/{series}', { params: { series: id }, body: series });
  removeSeries = (id: number) => this.server.ask('DELETE /series/{series}', { params: { series: id } });
  drawNumber = (series: number, note: string) => this.server.ask('POST /series/{series}/draw', { params: { series }, body: { file: null, note } });
  drawForFiles = (property: number, files: readonly number[]) => this.server.ask('POST /series/draw', { body: { property, files } });
  releaseNumber = (id: number) => this.server.ask('POST /series/numbers/{number}/release', { params: { number: id } });

  way = (id: number) => this.server.ask('GET /properties/{property}/way', { params: { property: id } });
  libraries = () => this.server.ask('GET /libraries');
  placeLibrary = (id: number, path: string) => this.server.ask('PUT /libraries/{library}/place', { params: { library: id }, body: { path } });
  people = () => this.server.ask('GET /people');
  addPerson = (body: PersonDraft) => this.server.ask('POST /people', { body });
  changePerson = (id: number, body: PersonChange) => this.server.ask('PUT /people/{person}', { params: { person: id }, body });
  resetPassword = (id: number) => this.server.ask('POST /people/{person}/password', { params: { person: id } });
  removePerson = (id: number) => this.server.ask('DELETE /people/{person}', { params: { person: id } });
  renameMyself = (displayName: string) => this.server.ask('PUT /profile', { body: { displayName } });
  changePassword = (body: PasswordChange) => this.server.ask('PUT /profile/password', { body });
  tokens = () => this.server.ask('GET /tokens');
  makeToken = (body: TokenDraft) => this.server.ask('POST /tokens', { body });
  removeToken = (id: number) => this.server.ask('DELETE /tokens/{token}', { params: { token: id } });
  settings = () => this.server.ask('GET /settings');
  saveSettings = (body: Settings) => this.server.ask('PUT /settings', { body });

  values = (query: Partial<GridQuery>) => this.server.ask('GET /values', { query });
  findReplacements = (body: ReplacementRequest) => this.server.ask('POST /values/find', { body });
  filters = () => this.server.ask('GET /values/filters');

  fill = (choice: FileChoice) => this.server.ask('POST /fill', { body: choice });
  valueSets = () => this.server.ask('GET /fill/sets');
  saveValueSet = (body: ValueSetDraft) => this.server.ask('POST /fill/sets', { body });
  removeValueSet = (id: number) => this.server.ask('DELETE /fill/sets/{set}', { params: { set: id } });
  keepAtHand = (body: { property: number; text: string; on: boolean }) => this.server.ask('POST /fill/at-hand', { body });
  gridGroups = (query: FileFilter & { group: GroupBy }) => this.server.ask('GET /values/groups', { query });
  why = (file: number, property: number) => this.server.ask('GET /files/{file}/why', { params: { file }, query: { property } });
  gridViews = () => this.server.ask('GET /values/views');
  saveGridView = (body: GridViewDraft) => this.server.ask('POST /values/views', { body });
  removeGridView = (id: number) => this.server.ask('DELETE /values/views/{view}', { params: { view: id } });
  toDos = () => this.server.ask('GET /to-dos');
  toDoTray = (files: readonly number[]) => this.server.ask('POST /to-dos/tray', { body: { files } });
  dismissToDos = (files: readonly number[]) => this.server.ask('POST /to-dos/dismiss', { body: { files } });
  projects = () => this.server.ask('GET /projects');
  project = (id: number) => this.server.ask('GET /projects/{project}', { params: { project: id } });
  saveProject = (id: number | null, body: WideDraft) =>
    id === null ? this.server.ask('POST /projects', { body }) : this.server.ask('PUT /projects/{project}', { params: { project: id }, body });
  removeProject = (id: number) => this.server.ask('DELETE /projects/{project}', { params: { project: id } });
  projectMembers = (id: number, body: WideMembers) => this.server.ask('POST /projects/{project}/members', { params: { project: id }, body });
  pushProject = (id: number) => this.server.ask('POST /projects/{project}/push', { params: { project: id } });

  tray = () => this.server.ask('GET /tray');
  propose = (body: ProposedValues) => this.server.ask('POST /tray', { body });
  schemaPlaces = () => this.server.ask('GET /schema/places');
  bringUpToDate = (body: UpToDate) => this.server.ask('POST /values/up-to-date', { body });
  pendingLines = (files: readonly number[]) => this.server.ask('POST /tray/pending', { body: { files } });
  undoStep = (again: boolean) => this.server.ask('POST /tray/undo', { body: { again } });
  dropLines = (lines: TrayLines['lines']) => this.server.ask('POST /tray/drop', { body: { lines } });
  acceptLines = (body: AcceptLines) => this.server.ask('POST /tray/accept', { body });
  settleLine = (body: SettleLine) => this.server.ask('POST /tray/settle', { body });
  applyTray = (body: ApplyTray) => this.server.reportOf(this.server.ask('POST /tray/apply', { body }));
  history = (query: Partial<HistoryQuery> = {}) => this.server.ask('GET /history', { query });
  changeSetRow = (id: number) => this.server.ask('GET /history/{set}/set', { params: { set: id } });
  changeSet = (id: number) => this.server.ask('GET /history/{set}', { params: { set: id } });
  checkChangeSet = (id: number) => this.server.ask('GET /history/{set}/check', { params: { set: id } });
  revert = (id: number) => this.server.reportOf(this.server.ask('POST /history/{set}/revert', { params: { set: id } }));

  blocks = () => this.server.ask('GET /title-blocks');
  blockSheets = (query: Partial<SheetsQuery> & Pick<SheetsQuery, 'block'>) => this.server.ask('GET /title-blocks/sheets', { query });
  block = (file: number, holder: string) => this.server.ask('GET /files/{file}/title-block', { params: { file }, query: { holder } });
  bindCells = (cells: BoundCells['cells']) => this.server.ask('PUT /schema/draft/bindings', { body: { cells } });
  takeUp = (body: TakeUp) => this.server.ask('POST /title-blocks/take-up', { body });
  typeCell = (file: number, body: TypedCell) => this.server.ask('POST /files/{file}/cell', { params: { file }, body });
  cellTray = (body: CellTray) => this.server.ask('POST /title-blocks/tray', { body });
  settleSheet = (file: number, body: SheetModel) => this.server.ask('PUT /files/{file}/sheet-model', { params: { file }, body });

  assemblies = () => this.server.ask('GET /bom/assemblies');
  bomLayouts = () => this.server.ask('GET /bom/layouts');
  addBomLayout = (body: BomLayoutDraft) => this.server.ask('POST /bom/layouts', { body });
  changeBomLayout = (id: number, body: BomLayoutDraft & Pick<BomLayout, 'version'>) =>
    this.server.ask('PUT /bom/layouts/{layout}', { params: { layout: id }, body });
  removeBomLayout = (id: number) => this.server.ask('DELETE /bom/layouts/{layout}', { params: { layout: id } });
  /** Packed; see `unpackList`. */
  bom = (file: number, body: BomRequest) => this.server.lines('POST /files/{file}/bom/packed', { params: { file }, body });
  bomMembers = (file: number, body: BomRowRequest) => this.server.ask('POST /files/{file}/bom/members', { params: { file }, body });
  bomValue = (file: number, body: BomTyped) => this.server.ask('POST /files/{file}/bom/value', { params: { file }, body });
  bomNumber = (file: number, body: BomNumber) => this.server.ask('PUT /files/{file}/bom/number', { params: { file }, body });
  bomRenumber = (file: number, body: BomRenumber) => this.server.ask('POST /files/{file}/bom/renumber', { params: { file }, body });
  planCells = (body: BlockCellChange) => this.server.ask('POST /title-blocks/cells/plan', { body });
  changeCells = (body: BlockCellChange) => this.server.ask('POST /title-blocks/cells', { body });
  bareSheets = (query: SheetPageQuery) => this.server.ask('GET /title-blocks/bare', { query });
  planAnchors = (body: AnchorChange) => this.server.ask('POST /title-blocks/anchors/plan', { body });
  anchorTexts = (body: AnchorChange) => this.server.ask('POST /title-blocks/anchors', { body });
  planExchange = (body: BlockExchange) => this.server.ask('POST /title-blocks/exchange/plan', { body });
  exchangeBlock = (body: BlockExchange) => this.server.ask('POST /title-blocks/exchange', { body });
  bomBlocks = () => this.server.ask('GET /bom/blocks');
  drawnBom = (file: number, body: BomRequest) => this.server.ask('POST /files/{file}/bom/drawn', { params: { file }, body });
  putDrawn = (file: number, body: PutDrawn) => this.server.ask('POST /files/{file}/bom/drawn/tray', { params: { file }, body });
  setMark = (file: number, body: SetMark) => this.server.ask('PUT /files/{file}/bom/drawn/marks', { params: { file }, body });
  placeMarks = (file: number, body: PlaceMarks) => this.server.ask('POST /files/{file}/bom/drawn/marks', { params: { file }, body });
  bomTable = (file: number, body: SendBom) => this.server.download('POST /files/{file}/bom/table', { params: { file }, body });
  keepBom = (file: number, body: KeepBom) => this.server.ask('POST /files/{file}/bom/kept', { params: { file }, body });
  keptBoms = () => this.server.ask('GET /bom/kept');
  keptBom = (id: number) => this.server.ask('GET /bom/kept/{kept}', { params: { kept: id } });
  keptBomTable = (id: number, format: SendBom['format']) => this.server.download('GET /bom/kept/{kept}/table', { params: { kept: id }, query: { format } });
  removeKeptBom = (id: number) => this.server.ask('DELETE /bom/kept/{kept}', { params: { kept: id } });
  compareBoms = (body: CompareBoms) => this.server.ask('POST /bom/compare', { body });
  whereUsed = (file: number) => this.server.ask('GET /files/{file}/where-used', { params: { file } });

  vault = () => this.server.ask('GET /vault');
  refreshVault = () => this.server.ask('POST /vault/refresh');
  setInVault = (library: number, inVault: boolean) => this.server.ask('PUT /libraries/{library}/vault', { params: { library }, body: { inVault } });
  addLink = (link: Omit<Link, 'id'>) => this.server.ask('POST /schema/draft/links', { body: link });
  changeLink = (id: number, link: Omit<Link, 'id'>) => this.server.ask('PUT /schema/draft/links/{link}', { params: { link: id }, body: link });
  removeLink = (id: number) => this.server.ask('DELETE /schema/draft/links/{link}', { params: { link: id } });
  tryValues = (file: number, body: TryValues) => this.server.ask('POST /files/{file}/record/try', { params: { file }, body });
  record = (file: number) => this.server.ask('GET /files/{file}/record', { params: { file } });
  rehearse = () => this.server.ask('POST /vault/rehearse', { body: { files: null } });
  rehearsals = () => this.server.ask('GET /vault/rehearsals');
  keepRehearsal = (title: string) => this.server.ask('POST /vault/rehearsals', { body: { title } });
  rehearsal = (rehearsal: number) => this.server.ask('GET /vault/rehearsals/{rehearsal}', { params: { rehearsal } });
  rehearsalTable = (rehearsal: number) => this.server.download('GET /vault/rehearsals/{rehearsal}/table', { params: { rehearsal } });
  removeRehearsal = (rehearsal: number) => this.server.ask('DELETE /vault/rehearsals/{rehearsal}', { params: { rehearsal } });
  runVault = (body: VaultRun) => this.server.ask('POST /vault/runs', { body });
  newcomers = (folder: string) => this.server.ask('POST /vault/newcomers', { body: { folder } });
  recordDefinition = () => this.server.ask('GET /vault/definition');
  recordHandOver = () => this.server.download('GET /vault/definition/table');
  orderField = (body: FieldOrder) => this.server.ask('POST /vault/fields', { body });
  correctLinkTable = () => this.server.ask('POST /vault/link-table/correct');
  records = (query: RecordsQuery) => this.server.ask('GET /vault/records', { query });
  editRecords = (body: RecordEdits) => this.server.reportOf(this.server.ask('PUT /vault/records', { body }));
  recordEdits = () => this.server.ask('GET /vault/record-edits');
  undoRecordEdit = (edit: number) => this.server.reportOf(this.server.ask('POST /vault/record-edits/{edit}/undo', { params: { edit } }));
  openRecordList = (file: File) => this.server.sendFile('POST /vault/list-file', file);
  previewRecordList = (body: LegacyList) => this.server.ask('POST /vault/list/preview', { body });
  takeRecordList = (body: LegacyList) => this.server.reportOf(this.server.ask('POST /vault/list', { body }));
  checkIn = (file: number, body: CheckIn) => this.server.ask('POST /files/{file}/check-in', { params: { file }, body });

  count = (filter: FileFilter) => this.server.ask('GET /values/count', { query: filter });
  tableLayouts = () => this.server.ask('GET /exchange/layouts');
  saveTableLayout = (id: number | null, body: LayoutDraft) =>
    id === null ? this.server.ask('POST /exchange/layouts', { body }) : this.server.ask('PUT /exchange/layouts/{layout}', { params: { layout: id }, body });
  removeTableLayout = (id: number) => this.server.ask('DELETE /exchange/layouts/{layout}', { params: { layout: id } });
  countRows = (body: LayoutContent) => this.server.ask('POST /exchange/count', { body });
  sendOut = (body: SendOutRequest) => this.server.ask('POST /exchange/send-outs', { body });
  sendOuts = () => this.server.ask('GET /exchange/send-outs');
  closeSendOut = (id: number, body: CloseSendOut) => this.server.ask('PUT /exchange/send-outs/{sendOut}/closed', { params: { sendOut: id }, body });
  takeBacks = () => this.server.ask('GET /exchange/take-backs');
  takeBack = (file: File) => this.server.sendFile('POST /exchange/take-backs', file);
  takeBackView = (id: number) => this.server.ask('GET /exchange/take-backs/{takeBack}', { params: { takeBack: id } });
  takeBackReading = (id: number, body: ReadingChoice) => this.server.ask('PUT /exchange/take-backs/{takeBack}/reading', { params: { takeBack: id }, body });
  takeBackReopen = (id: number) => this.server.ask('POST /exchange/take-backs/{takeBack}/reopen', { params: { takeBack: id } });
  takeBackCells = (id: number, query: CellQuery) => this.server.ask('GET /exchange/take-backs/{takeBack}/cells', { params: { takeBack: id }, query });
  takeBackDecide = (id: number, body: DecideRequest) => this.server.ask('POST /exchange/take-backs/{takeBack}/decisions', { params: { takeBack: id }, body });
  takeBackTray = (id: number) => this.server.ask('POST /exchange/take-backs/{takeBack}/tray', { params: { takeBack: id } });
  takeBackApply = (id: number, body: ApplyTakeBack) =>
    this.server.reportOf(this.server.ask('POST /exchange/take-backs/{takeBack}/apply', { params: { takeBack: id }, body }));
  deliveries = () => this.server.ask('GET /exchange/deliveries');
  saveDelivery = (id: number | null, body: DeliveryDraft) =>
    id === null
      ? this.server.ask('POST /exchange/deliveries', { body })
      : this.server.ask('PUT /exchange/deliveries/{delivery}', { params: { delivery: id }, body });
  removeDelivery = (id: number) => this.server.ask('DELETE /exchange/deliveries/{delivery}', { params: { delivery: id } });
  deliverNow = (id: number) => this.server.ask('POST /exchange/deliveries/{delivery}/now', { params: { delivery: id } });
  watchedFolders = () => this.server.ask('GET /exchange/folders');
  saveWatchedFolder = (id: number | null, body: WatchedFolderDraft) =>
    id === null ? this.server.ask('POST /exchange/folders', { body }) : this.server.ask('PUT /exchange/folders/{folder}', { params: { folder: id }, body });
  removeWatchedFolder = (id: number) => this.server.ask('DELETE /exchange/folders/{folder}', { params: { folder: id } });
}

/** Saves a downloaded file in the browser. */
export function saveBlob({ name, blob }: { name: string; blob: Blob }): void {
  const url = URL.createObjectURL(blob);
  const anchor = document.createElement('a');
  anchor.href = url;
  anchor.download = name;
  anchor.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
