import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { expect, test as base, type Browser, type BrowserContext, type Page, type Request } from '@playwright/test';

export const password = 'larkfell-demo';
const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** What the screens of a test asked of the server: told where the test fails, so that a failure elsewhere can be understood from its words. */
class Traffic {
  private readonly waiting = new Set<Request>();
  private readonly refused: string[] = [];

  listen(context: BrowserContext): void {
    context.on('request', (request) => this.waiting.add(request));
    context.on('requestfinished', (request) => this.waiting.delete(request));
    context.on('requestfailed', (request) => {
      this.waiting.delete(request);
      this.refused.push(`${request.method()} ${request.url()}: ${request.failure()?.errorText ?? ''}`);
    });
    context.on('response', (response) => {
      if (response.status() >= 400) this.refused.push(`${response.request().method()} ${response.url()}: ${response.status()}`);
    });
  }

  async tell(contexts: readonly BrowserContext[]): Promise<void> {
    for (const page of contexts.flatMap((context) => context.pages())) {
      const text = await page.locator('body').innerText({ timeout: 2000 }).catch(String);
      console.log(`at ${page.url()}:\n${text.slice(0, 1500)}\n`);
    }
    console.log(`without an answer: ${[...this.waiting].map((request) => request.url()).join(', ')}`);
    console.log(`refused: ${this.refused.slice(-40).join('\n')}`);
  }
}

/** A test in a browser: the screens of other people are closed when it is over, and where it fails it tells what they showed and asked for. */
export const test = base.extend<{ watched: undefined }>({
  watched: [
    async ({ context, browser }, use, info) => {
      const traffic = new Traffic();
      traffic.listen(context);
      heard.set(browser, traffic);
      await use(undefined);
      if (info.status !== info.expectedStatus) await traffic.tell(browser.contexts());
      for (const other of browser.contexts()) if (other !== context) await other.close();
    },
    { auto: true },
  ],
});
const heard = new WeakMap<Browser, Traffic>();

/** Signs in by the form, as people do. */
export async function enter(page: Page, login: string, path = '/larkfell/cord'): Promise<void> {
  await page.goto(path);
  await page.getByLabel('Sign-in name').fill(login);
  await page.getByLabel('Password').fill(password);
  await page.keyboard.press('Enter');
  await page.waitForURL((url) => !url.pathname.startsWith('/sign-in'));
}

/** Sends a request as whoever is signed in on a page. */
export async function send<T>(page: Page, method: 'post' | 'put', path: string, data: object): Promise<T> {
  const answer = await page.request[method](`/api/projects/larkfell${path}`, { data, headers: { origin: new URL(page.url()).origin } });
  expect(answer.ok(), `${path}: ${await answer.text()}`).toBe(true);
  return (await answer.json()) as T;
}

/** Another person at another screen. */
export async function another(browser: Browser, login: string, path?: string): Promise<Page> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  heard.get(browser)?.listen(context);
  const page = await context.newPage();
  await enter(page, login, path);
  return page;
}

interface AxeResult {
  readonly violations: readonly {
    readonly id: string;
    readonly help: string;
    readonly nodes: readonly { readonly html: string; readonly failureSummary: string }[];
  }[];
}

/** What axe finds wrong after WCAG 2.2 A and AA with what is shown; each with the place. */
export async function faults(page: Page, where: string): Promise<string[]> {
  // A picture that is still being laid out would be looked at on some days and not on others.
  await expect(page.getByText('Drawing …')).toHaveCount(0);
  // The policy allows no inline script in a page; the driver's own evaluation is not in the page.
  await page.evaluate(axe);
  const { violations } = await page.evaluate(() =>
    (window as unknown as { axe: { run(options: object): Promise<AxeResult> } }).axe.run({
      runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'],
    }),
  );
  return violations.flatMap((v) =>
    v.nodes.slice(0, 4).map((n) => `${where}: ${v.id}: ${n.html.slice(0, 220)} ${n.failureSummary.slice(0, 220)}`),
  );
}

/** An address in which `RUN-OF-C-018` stands for the run of that case on the demo's newest build. */
export async function withRun(page: Page, path: string): Promise<string> {
  const caseKey = /RUN-OF-(C-\d+)/.exec(path)?.[1];
  if (!caseKey) return path;
  const answer = await page.request.get(`/api/projects/larkfell/cases/${caseKey}`);
  const { runs } = (await answer.json()) as { runs: { key: string; build: string; superseded: boolean }[] };
  return path.replace(`RUN-OF-${caseKey}`, runs.find((run) => run.build === '2.4.0-rc2' && !run.superseded)?.key ?? '');
}
