import { Route, Routes } from '@angular/router';
import { leavesNothing } from '../shared';

/** Stations are loaded lazily. */
const stations: Routes = [
  { path: '', pathMatch: 'full', redirectTo: 'overview' },
  { path: 'overview', title: 'Overview · Rule', loadComponent: () => import('../overview').then((m) => m.OverviewStation) },
  { path: 'survey', title: 'Survey · Rule', loadComponent: () => import('../survey').then((m) => m.SurveyStation) },
  { path: 'schema', title: 'Schema · Rule', loadComponent: () => import('../schema').then((m) => m.SchemaStation) },
  { path: 'forms', title: 'Forms · Rule', loadComponent: () => import('../forms').then((m) => m.FormsStation) },
  { path: 'values', title: 'Values · Rule', loadComponent: () => import('../values').then((m) => m.ValuesStation) },
  { path: 'title-blocks', title: 'Title blocks · Rule', loadComponent: () => import('../title-blocks').then((m) => m.TitleBlocksStation) },
  { path: 'bom', title: 'BOM · Rule', loadComponent: () => import('../bom').then((m) => m.BomStation) },
  { path: 'vault', title: 'Vault · Rule', loadComponent: () => import('../vault').then((m) => m.VaultStation) },
  { path: 'exchange', title: 'Exchange · Rule', loadComponent: () => import('../exchange').then((m) => m.ExchangeStation) },
  { path: 'file/:id', title: 'File · Rule', loadComponent: () => import('../file').then((m) => m.FilePage) },
  { path: 'history', title: 'History · Rule', loadComponent: () => import('../history').then((m) => m.HistoryStation) },
  { path: 'settings', title: 'Settings · Rule', loadComponent: () => import('../settings').then((m) => m.SettingsStation) },
  { path: '**', redirectTo: 'overview' },
];

/** Guards unsaved edits within and between stations. */
export const routes: Routes = stations.map((route): Route =>
  route.loadComponent ? { ...route, canDeactivate: [leavesNothing], runGuardsAndResolvers: 'paramsOrQueryParamsChange' } : route,
);
