import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { effectsOf } from '../base';
import { baselineCommands, baselineFeature } from './baselines/state';
import { gapCommands, gapFeature } from './gaps/state';
import { impactCommands, impactFeature } from './impact/state';
import { traceCommands, traceFeature } from './matrix/trace-state';
import { proofCommands, proofFeature } from './requirement-proof';
import { reviewCommands, reviewFeature } from './reviews/state';
import { readingCommands, readingFeature } from './reading/state';
import { proposalCommands, proposalFeature } from './proposals/state';
import { specifyCommands, specifyFeature } from './state';
import { suspectCommands, suspectFeature } from './suspects/state';

export * from './state';

const baselines = () => import('./baselines/baselines-page').then((m) => m.BaselinesPage);
const reviews = () => import('./reviews/reviews-page').then((m) => m.ReviewsPage);
const page = () => import('./specify-page').then((m) => m.SpecifyPage);

export const specifyRoutes: Routes = [
  {
    path: '',
    title: 'Specify · Cord Proof',
    providers: [
      provideState(specifyFeature),
      provideState(proofFeature),
      provideState(baselineFeature),
      provideState(reviewFeature),
      provideState(traceFeature),
      provideState(gapFeature),
      provideState(impactFeature),
      provideState(suspectFeature),
      provideState(readingFeature),
      provideState(proposalFeature),
      provideEffects(
        effectsOf(specifyCommands),
        effectsOf(proofCommands),
        effectsOf(baselineCommands),
        effectsOf(reviewCommands),
        effectsOf(traceCommands),
        effectsOf(gapCommands),
        effectsOf(impactCommands),
        effectsOf(suspectCommands),
        effectsOf(readingCommands),
        effectsOf(proposalCommands),
      ),
    ],
    children: [
      { path: 'import', loadComponent: () => import('./import-page').then((m) => m.ImportPage) },
      { path: 'wording', title: 'Wording · Cord Proof', loadComponent: () => import('./wording/wording-page').then((m) => m.WordingPage) },
      { path: 'baselines', title: 'Baselines · Cord Proof', loadComponent: baselines },
      { path: 'baselines/:key', title: 'Baselines · Cord Proof', loadComponent: baselines },
      { path: 'reviews', title: 'Reviews · Cord Proof', loadComponent: reviews },
      { path: 'reviews/:key', title: 'Reviews · Cord Proof', loadComponent: reviews },
      { path: 'matrix', title: 'Trace matrix · Cord Proof', loadComponent: () => import('./matrix/matrix-page').then((m) => m.MatrixPage) },
      {
        path: 'read',
        title: 'Specification · Cord Proof',
        loadComponent: () => import('./reading/reading-page').then((m) => m.ReadingPage),
      },
      { path: 'threads', title: 'Threads · Cord Proof', loadComponent: () => import('./threads/threads-page').then((m) => m.ThreadsPage) },
      {
        path: 'suspect',
        title: 'Suspect traces · Cord Proof',
        loadComponent: () => import('./suspects/suspects-page').then((m) => m.SuspectsPage),
      },
      {
        path: 'proposed',
        title: 'Proposed traces · Cord Proof',
        loadComponent: () => import('./proposals/proposals-page').then((m) => m.ProposalsPage),
      },
      { path: 'gaps', title: 'Gaps · Cord Proof', loadComponent: () => import('./gaps/gaps-page').then((m) => m.GapsPage) },
      {
        path: 'outline',
        title: 'Write an outline · Cord Proof',
        loadComponent: () => import('./outline/outline-page').then((m) => m.OutlinePage),
      },
      { path: 'requirement/:record', loadComponent: page },
      { path: ':spec', loadComponent: page },
      { path: '', pathMatch: 'full', loadComponent: page },
    ],
  },
];
