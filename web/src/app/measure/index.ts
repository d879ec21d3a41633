import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { effectsOf } from '../base';
import { measureCommands, measureFeature } from './state';

export * from './state';

export const measureRoutes: Routes = [
  {
    path: '',
    title: 'Measure · Cord Proof',
    providers: [provideState(measureFeature), provideEffects(effectsOf(measureCommands))],
    loadComponent: () => import('./measure-page').then((m) => m.MeasurePage),
  },
];
