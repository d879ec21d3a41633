import { computed, linkedSignal, type WritableSignal } from '@angular/core';

/** A value that somebody types over. It begins as it is read, and again only where another value is read: the same record read anew writes over nothing. */
export const typedOver = <T>(read: () => T): WritableSignal<T> =>
  linkedSignal<T, T>({ source: computed(read), computation: (value) => value });
