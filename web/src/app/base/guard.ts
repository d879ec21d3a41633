import { inject } from '@angular/core';
import { Router, type CanActivateFn } from '@angular/router';
import { Store } from '@ngrx/store';
import { filter, map, take } from 'rxjs';
import { forgetProblem } from './command';
import { baseActions, baseCommands, baseFeature } from './state';

/** Lets in whoever is signed in; others come back here after they signed in. The project is asked for at the same time. */
export const signedIn: CanActivateFn = (route, state) => {
  const store = inject(Store);
  const router = inject(Router);
  const known = store.selectSignal(baseFeature.selectAsked);
  if (!known()) store.dispatch(baseCommands.getSession.start({}));
  const project = route.paramMap.get('project');
  if (project) {
    store.dispatch(baseActions.enterProject({ project }));
    store.dispatch(forgetProblem({ name: baseCommands.getProject.name }));
    store.dispatch(baseCommands.getProject.start({ project }));
  }
  return store.select(baseFeature.selectBaseState).pipe(
    filter((base) => base.asked),
    take(1),
    map(({ session }) => {
      if (session?.setPassword) return router.createUrlTree(['/set-password'], { queryParams: { to: state.url } });
      return session ? true : router.createUrlTree(['/sign-in'], { queryParams: { to: state.url } });
    }),
  );
};

/** Where whoever is signing in was going: an address of this application, never one elsewhere. */
export function cameFrom(): string {
  const to = new URLSearchParams(location.search).get('to');
  return to?.startsWith('/') && !to.startsWith('//') ? to : '/';
}
