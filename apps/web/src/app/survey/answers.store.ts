import { CleanUpRequest, CoverageBy, CoverageOf, FileFilter, ForeignRequest } from '@rule/contract';
import { signalStore } from '@ngrx/signals';
import { withAnswer, TYPING_MS } from '../shared';

/** Coverage of names or record fields. */
export const CoverageStore = signalStore(
  withAnswer((api, { of, by, filter }: { readonly of: CoverageOf; readonly by: CoverageBy; readonly filter: FileFilter }) => api.coverage(of, by, filter)),
);
/** Values under one name. */
export const FoundValuesStore = signalStore(
  withAnswer((api, { name, filter }: { readonly name: string; readonly filter: FileFilter }) => api.foundValues(name, filter)),
);
/** Remarks on files. Its question is the turn of the station. */
export const RemarksStore = signalStore(withAnswer((api, _turn: number) => api.remarks()));
/** Outdated masses and inconsistent materials. Its question is the turn of the station. */
export const MassesStore = signalStore(withAnswer((api, _turn: number) => api.masses()));
/** What a clean-up would change. */
export const CleanUpPreviewStore = signalStore(withAnswer((api, request: CleanUpRequest) => api.previewCleanUp(request), TYPING_MS));
/** What a mapping of foreign names would change. */
export const ForeignPreviewStore = signalStore(withAnswer((api, request: ForeignRequest) => api.previewForeign(request), TYPING_MS));
