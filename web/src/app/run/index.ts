import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { effectsOf } from '../base';
import { runCommands, runFeature } from './state';

export * from './state';

const rounds = () => import('./rounds-page').then((m) => m.RoundsPage);
const problems = () => import('./problems-page').then((m) => m.ProblemsPage);

export const runRoutes: Routes = [
  {
    path: '',
    title: 'Run · Cord Proof',
    providers: [provideState(runFeature), provideEffects(effectsOf(runCommands))],
    children: [
      { path: '', pathMatch: 'full', loadComponent: rounds },
      { path: 'round/:key', loadComponent: rounds },
      { path: 'plan', title: 'Plan a round · Cord Proof', loadComponent: () => import('./plan-page').then((m) => m.PlanPage) },
      { path: 'bench/:key', title: 'Bench · Cord Proof', loadComponent: () => import('./bench-page').then((m) => m.BenchPage) },
      {
        path: 'sheet/:key',
        title: 'Steps and runs on one sheet · Cord Proof',
        loadComponent: () => import('./sheet-page').then((m) => m.SheetPage),
      },
      { path: 'record/:key', loadComponent: () => import('./record-page').then((m) => m.RecordPage) },
      {
        path: 'results',
        title: 'Results beside each other · Cord Proof',
        loadComponent: () => import('./comparison/comparison-page').then((m) => m.ComparisonPage),
      },
      { path: 'sign', title: 'To sign · Cord Proof', loadComponent: () => import('./sign-page').then((m) => m.SignPage) },
      {
        path: 'programs',
        title: 'Results of programs · Cord Proof',
        loadComponent: () => import('./programs-page').then((m) => m.ProgramsPage),
      },
      { path: 'again', title: 'Needed again · Cord Proof', loadComponent: () => import('./again-page').then((m) => m.AgainPage) },
      {
        path: 'configurations',
        title: 'Configurations · Cord Proof',
        loadComponent: () => import('./configurations-page').then((m) => m.ConfigurationsPage),
      },
      { path: 'tracker', title: 'Tracker outside · Cord Proof', loadComponent: () => import('./tracker-page').then((m) => m.TrackerPage) },
      { path: 'device', title: 'On this device · Cord Proof', loadComponent: () => import('./device-page').then((m) => m.DevicePage) },
      { path: 'problems', loadComponent: problems },
      { path: 'problems/:key', loadComponent: problems },
    ],
  },
];
