import { defineConfig } from '@playwright/test';

export default defineConfig({
  testDir: '.',
  outputDir: '../test-results',
  workers: 1,
  timeout: 180_000,
  // A machine whose disk stands still for a minute fails a journey once; what is wrong in the application fails it twice.
  retries: 1,
  // As in the specs: what waits longer than usual is not wrong yet.
  expect: { timeout: 30_000 },
  reporter: 'list',
  use: {
    baseURL: process.env['CORD_URL'],
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
