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
      { path: 'record/:key', loadComponent: () => import('./record-page').then((m) => m.RecordPage) },
      { path: 'problems', loadComponent: problems },
      { path: 'problems/:key', loadComponent: problems },
    ],
  },
];
