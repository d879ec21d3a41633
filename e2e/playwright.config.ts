import { defineConfig } from '@playwright/test';

/** Where this worker's own application is, of several that are named with blanks between. */
export const mine = (places: string | undefined): string | undefined => places?.split(' ')[Number(process.env['TEST_PARALLEL_INDEX'] ?? 0)];

export default defineConfig({
  testDir: '.',
  outputDir: '../test-results',
  // One browser for each application: what the one changes is not seen by the other.
  workers: process.env['CORD_URL']?.split(' ').length ?? 1,
  timeout: 120_000,
  // A machine whose disk stands still for a minute fails a journey once; what is wrong in the application fails it twice.
  retries: 1,
  expect: { timeout: 10_000 },
  reporter: 'list',
  use: {
    baseURL: mine(process.env['CORD_URL']),
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env['CHROME_BIN'] ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
      ],
    },
    trace: 'off',
  },
});
