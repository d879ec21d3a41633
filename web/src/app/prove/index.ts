import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import type { Routes } from '@angular/router';
import { effectsOf } from '../base';
import { proveCommands, proveFeature } from './state';

export * from './state';

export const proveRoutes: Routes = [
  {
    path: '',
    providers: [provideState(proveFeature), provideEffects(effectsOf(proveCommands))],
    children: [
      { path: 'cord', title: 'Cord · Cord Proof', loadComponent: () => import('./board-page').then((m) => m.BoardPage) },
      { path: 'prove', title: 'Prove · Cord Proof', loadComponent: () => import('./prove-page').then((m) => m.ProvePage) },
    ],
  },
];
