import { catalogueEffects, catalogueFeature } from './catalogue.state';
import { jobsEffects, jobsFeature } from './jobs.state';
import { sessionEffects, sessionFeature } from './session.state';
import { trayEffects, trayFeature } from './tray.state';

export * from './api';
export * from './after-typing';
export * from './answer';
export { problemOf } from './server';
export * from './bench';
export * from './catalogue.state';
export * from './cell';
export * from './count';
export * from './csrf';
export * from './exact-name';
export * from './in-pieces';
export * from './index-list';
export * from './index-row';
export * from './jobs.state';
export * from './file-choices.store';
export * from './file-link';
export * from './line-place';
export * from './left-out';
export * from './loads';
export * from './notices';
export * from './pending.store';
export * from './session.state';
export * from './show';
export * from './standing';
export * from './to-tray';
export * from './tray.state';
export * from './type-names';
export * from './unsaved';
export * from './way';
export * from './working';

export const sharedReducers = {
  [sessionFeature.name]: sessionFeature.reducer,
  [catalogueFeature.name]: catalogueFeature.reducer,
  [trayFeature.name]: trayFeature.reducer,
  [jobsFeature.name]: jobsFeature.reducer,
};
export const sharedEffects = [sessionEffects, catalogueEffects, trayEffects, jobsEffects];
export * from './own-password';
