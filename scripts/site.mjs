// What the commands that run the application for themselves share: a fresh database, the demo in it, a server, a browser.
import { spawn } from 'node:child_process';
import { createWriteStream, rmSync } from 'node:fs';
import { join } from 'node:path';
import { endLeftover, freePort, startDatabase } from './database.mjs';
import { dataFolder, nodeArguments, root } from './system.mjs';

/** A database made anew in `.data/<name>`; one that a killed run left behind is ended first. `options` go to the database server. */
export async function freshDatabase(name, options = []) {
  const folder = join(dataFolder, name);
  await endLeftover(folder);
  rmSync(folder, { recursive: true, force: true });
  return startDatabase(folder, { options });
}

/** Loads the demo into the database that `env` names; its tracker is looked for at `tracker`, a port where mostly none is. */
export async function loadDemo(env, say, tracker = '9') {
  const { seedDemo } = await import(join(root, 'dist', 'server', 'seed.js'));
  const address = { port: Number(env.CORD_DB_PORT), user: env.CORD_DB_USER, password: env.CORD_DB_PASSWORD, database: env.CORD_DB_NAME };
  // The demo's tracker has a token, which is kept sealed.
  process.env.CORD_KEY_SECRET_FILE = env.CORD_KEY_SECRET_FILE;
  process.env.CORD_TRACKER_PORT = tracker;
  process.env.CORD_LOCAL_TRACKER = '1';
  await seedDemo(address, join(root, 'demo'), say);
}

/** Starts the built server on a free port; answers when it listens. */
export async function startServer(env) {
  const port = await freePort();
  const server = spawn(process.execPath, nodeArguments, {
    cwd: root,
    env: { ...process.env, ...env, PORT: String(port), CORD_SIGNIN_LIMIT: '1000', CORD_LOCAL_TRACKER: '1', NODE_NO_WARNINGS: '1' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  await new Promise((resolve, reject) => {
    // What it says stays readable after it was stopped.
    server.stdout.pipe(createWriteStream(join(root, 'dist', 'server.log')));
    server.stdout.on('data', (chunk) => String(chunk).includes('ready ') && resolve());
    server.on('exit', () => reject(new Error('the server did not start')));
  });
  return {
    url: `http://127.0.0.1:${port}`,
    stop: async () => {
      server.kill('SIGTERM');
      await new Promise((resolve) => server.once('exit', resolve));
    },
  };
}

/** Debian's Chromium, headless. */
export async function openBrowser() {
  const { chromium } = await import('@playwright/test');
  return chromium.launch({
    executablePath: process.env.CHROME_BIN ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
  });
}
