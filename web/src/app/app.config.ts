import { inject, Injector, provideZonelessChangeDetection, type ApplicationConfig } from '@angular/core';
import { provideRouter, withComponentInputBinding, type Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideStore } from '@ngrx/store';
import {
  baseCommands,
  browsable,
  baseFeature,
  bulkCalls,
  bulkFeature,
  effectsOf,
  keeping,
  listEffects,
  listsFeature,
  treeEffects,
  treesFeature,
  peekCommands,
  peekFeature,
  recordCommands,
  recordFeature,
  requestsFeature,
  Shell,
  signedIn,
  standby,
} from './base';

import { proveRoutes } from './prove';

/** What the first screen needs comes with the first load; every other room when it is entered. */
const routes: Routes = [
  { path: 'sign-in', title: 'Sign in · Cord Proof', loadComponent: () => import('./base/sign-in').then((m) => m.SignIn) },
  {
    path: 'set-password',
    title: 'Set your password · Cord Proof',
    loadComponent: () => import('./base/set-password').then((m) => m.SetPassword),
  },
  {
    path: '',
    pathMatch: 'full',
    canActivate: [signedIn],
    title: 'Projects · Cord Proof',
    loadComponent: () => import('./base/projects-page').then((m) => m.ProjectsPage),
  },
  {
    path: ':project',
    canActivate: [signedIn],
    component: Shell,
    children: [
      { path: '', pathMatch: 'full', redirectTo: 'cord' },
      { path: 'ledger', title: 'Ledger · Cord Proof', loadComponent: () => import('./base/ledger-page').then((m) => m.LedgerPage) },
      {
        path: 'settings',
        title: 'Project and people · Cord Proof',
        loadComponent: () => import('./base/settings-page').then((m) => m.SettingsPage),
      },
      { path: 'specify', loadChildren: () => import('./specify').then((m) => m.specifyRoutes) },
      { path: 'design', loadChildren: () => import('./design').then((m) => m.designRoutes) },
      { path: 'run', loadChildren: () => import('./run').then((m) => m.runRoutes) },
      { path: 'measure', loadChildren: () => import('./measure').then((m) => m.measureRoutes) },
      ...proveRoutes,
      { path: '**', title: 'No such page · Cord Proof', loadComponent: () => import('./base/not-found-page').then((m) => m.NotFoundPage) },
    ],
  },
];

export const appConfig: ApplicationConfig = {
  providers: [
    provideZonelessChangeDetection(),
    provideRouter(routes, withComponentInputBinding()),
    {
      provide: browsable,
      useValue: {
        '/projects/:project/requirements': () => import('./specify/browse').then((m) => m.requirementBrowse),
        '/projects/:project/cases': () => import('./design/browse').then((m) => m.caseBrowse),
        '/projects/:project/problems': () => import('./run/problem-list').then((m) => ({ kind: m.problemKind })),
      },
    },
    { provide: keeping, useValue: () => import('./run/away').then((m) => m.runKeeping) },
    {
      provide: standby,
      useFactory:
        (injector = inject(Injector)) =>
        async () =>
          injector.get((await import('./base/device/device')).Device),
    },
    provideStore({
      [requestsFeature.name]: requestsFeature.reducer,
      [baseFeature.name]: baseFeature.reducer,
      [peekFeature.name]: peekFeature.reducer,
      [recordFeature.name]: recordFeature.reducer,
      [bulkFeature.name]: bulkFeature.reducer,
      [listsFeature.name]: listsFeature.reducer,
      [treesFeature.name]: treesFeature.reducer,
    }),
    provideEffects(
      effectsOf(baseCommands),
      effectsOf(peekCommands),
      effectsOf(recordCommands),
      effectsOf(bulkCalls),
      listEffects,
      treeEffects,
    ),
  ],
};
