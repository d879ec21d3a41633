import { Injectable } from '@angular/core';

type Message = Record<string, unknown>;

/** The browser's side of passkeys; undefined where the person or the device said no. */
@Injectable({ providedIn: 'root' })
export class Passkeys {
  make(options: Message): Promise<Message | undefined> {
    return this.ask(async ({ startRegistration }) => startRegistration({ optionsJSON: options as never }));
  }

  show(options: Message): Promise<Message | undefined> {
    return this.ask(async ({ startAuthentication }) => startAuthentication({ optionsJSON: options as never }));
  }

  private async ask(work: (browser: typeof import('@simplewebauthn/browser')) => Promise<object>): Promise<Message | undefined> {
    try {
      return { ...(await work(await import('@simplewebauthn/browser'))) };
    } catch (error) {
      if (error instanceof Error) return undefined;
      throw error;
    }
  }
}
