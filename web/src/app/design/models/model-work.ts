import { DestroyRef, inject, signal } from '@angular/core';
import { wrap, type Remote } from 'comlink';
import type { ModelTasks } from './model-tasks';

/** A worker of one's own for models: what is asked anew stops what was asked before, and the page can stop it too. */
export class ModelWork {
  /** Is anything being worked out? */
  readonly working = signal(false);
  private worker: Worker | undefined;
  private remote: Remote<ModelTasks> | undefined;
  private asked = 0;

  /** Works something out; undefined where it was stopped in between. Errors are the work's own. */
  async ask<R>(work: (tasks: Remote<ModelTasks>) => Promise<R>): Promise<R | undefined> {
    if (this.working()) this.stop();
    const mine = ++this.asked;
    this.working.set(true);
    this.worker ??= new Worker(new URL('./model.worker', import.meta.url), { type: 'module' });
    this.remote ??= wrap<ModelTasks>(this.worker);
    try {
      const answer = await work(this.remote);
      return mine === this.asked ? answer : undefined;
    } finally {
      if (mine === this.asked) this.working.set(false);
    }
  }

  stop(): void {
    this.asked++;
    this.worker?.terminate();
    this.worker = undefined;
    this.remote = undefined;
    this.working.set(false);
  }
}

/** The worker of a component, gone with it. */
export function useModelWork(): ModelWork {
  const work = new ModelWork();
  inject(DestroyRef).onDestroy(() => work.stop());
  return work;
}
