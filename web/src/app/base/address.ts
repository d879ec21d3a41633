import { inject, untracked, type Signal } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import { debounceTime, skip } from 'rxjs';

/** How a screen says in the address what it shows: other parameters stay, null takes one away, and going back leaves the screen. */
export function useAddress(): (queryParams: Readonly<Record<string, string | null>>) => void {
  const router = inject(Router);
  return (queryParams) => void router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
}

/** Keeps in the address what is typed, a moment after it was; what is empty is taken out of it. Not while `aside` says that it is nobody's address. */
export function keepInAddress(typed: Signal<Readonly<Record<string, string>>>, aside: () => boolean | undefined): void {
  const router = inject(Router);
  toObservable(typed)
    .pipe(skip(1), debounceTime(300), takeUntilDestroyed())
    .subscribe((address) => {
      // Whoever has typed and is on the way to a record meanwhile is not called back for the address.
      if (aside() || untracked(router.currentNavigation)) return;
      const queryParams = Object.fromEntries(Object.entries(address).map(([name, value]) => [name, value || null]));
      void router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
    });
}
