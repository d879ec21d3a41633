import { DestroyRef, effect, inject } from '@angular/core';

/** The screen stays on while this says so, where the device can do that; after a look elsewhere it is asked for again. */
export function keepAwake(wanted: () => boolean): void {
  let lock: WakeLockSentinel | undefined;
  let isWanted = false;
  const ask = (): void => {
    if (!isWanted || document.visibilityState !== 'visible' || !('wakeLock' in navigator)) return;
    // A device that saves its battery says no: then the screen goes off as it always did.
    void navigator.wakeLock.request('screen').then(
      (given) => {
        if (isWanted) lock = given;
        else void given.release();
      },
      () => undefined,
    );
  };
  const release = (): void => {
    void lock?.release();
    lock = undefined;
  };
  effect(() => {
    isWanted = wanted();
    if (isWanted) ask();
    else release();
  });
  document.addEventListener('visibilitychange', ask);
  inject(DestroyRef).onDestroy(() => {
    isWanted = false;
    document.removeEventListener('visibilitychange', ask);
    release();
  });
}
