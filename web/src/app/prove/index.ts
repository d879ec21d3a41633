import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import type { Routes } from '@angular/router';
import { effectsOf } from '../base';
import { BoardPage } from './board-page';
import { proveCommands, proveFeature } from './state';

export * from './state';

export const proveRoutes: Routes = [
  {
    path: '',
    providers: [provideState(proveFeature), provideEffects(effectsOf(proveCommands))],
    children: [
      { path: 'cord', title: 'Cord · Cord Proof', component: BoardPage },
      { path: 'today', title: 'Today · Cord Proof', loadComponent: () => import('./today-page').then((m) => m.TodayPage) },
      { path: 'prove', title: 'Prove · Cord Proof', loadComponent: () => import('./prove-page').then((m) => m.ProvePage) },
    ],
  },
];
