import { inject } from '@angular/core';
import { Router } from '@angular/router';

/** How a screen says in the address what it shows: other parameters stay, null takes one away, and going back leaves the screen. */
export function useAddress(): (queryParams: Readonly<Record<string, string | null>>) => void {
  const router = inject(Router);
  return (queryParams) => void router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
}
