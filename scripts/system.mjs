// What the machine must have: Debian packages, and the project's own npm packages. Uses nothing but Node itself.
import { execFileSync, spawnSync } from 'node:child_process';
import { closeSync, existsSync, mkdirSync, openSync, readFileSync, writeFileSync, writeSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = fileURLToPath(new URL('..', import.meta.url));
export const dataFolder = join(root, '.data');

/** Which program shows that a package is there. */
const programs = {
  'mariadb-server': ['mariadbd', 'mariadb-install-db'],
  chromium: ['chromium'],
  'poppler-utils': ['pdftotext'],
  unzip: ['unzip'],
  openssl: ['openssl'],
  'libxml2-utils': ['xmllint'],
  gcc: ['gcc', 'gcov'],
};

const has = (program) => ['/usr/sbin', '/usr/bin', '/usr/local/bin', '/sbin', '/bin'].some((folder) => existsSync(join(folder, program)));

export const say = (text) => process.stdout.write(`${text}\n`);

/** Installs the Debian packages that are missing, or says the one command that does. */
export function needPackages(...wanted) {
  const missing = wanted.filter((name) => !programs[name].every(has));
  if (!missing.length) return;
  const command = `apt-get update && apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  const isRoot = process.getuid?.() === 0;
  const sudo = !isRoot && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0;
  if (!isRoot && !sudo) {
    say(
      `Some Debian packages are missing, and this account may not install them. Run this once, then start again:\n\n    sudo sh -c '${command}'\n`,
    );
    process.exit(1);
  }
  const shell = isRoot ? ['sh', ['-c', command]] : ['sudo', ['sh', '-c', command]];
  // A Debian service of MariaDB would start by itself; ours runs beside it, on its own port, and does not need it.
  const done = step(`Installing from Debian: ${missing.join(', ')}`, () =>
    spawnSync(shell[0], shell[1], {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive', RUNLEVEL: '1' },
    }),
  );
  if (done.status !== 0) {
    say(`Installing failed. Try it by hand:\n\n    sudo sh -c '${command}'\n`);
    process.exit(1);
  }
}

const fingerprint = () =>
  createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');

/** `npm ci`, once for each state of the lock file. */
export function needModules() {
  const stamp = join(root, 'node_modules', '.cord-proof-lock');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === fingerprint()) return;
  step('Installing npm packages (npm ci)', () =>
    execFileSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], { cwd: root, stdio: ['ignore', 'ignore', 'inherit'] }),
  );
  writeFileSync(stamp, fingerprint());
}

/** Runs a program of node_modules or of Node. What it prints goes into a log; if it fails, the end of that is shown and all ends. */
export function run(program, args, env = {}) {
  mkdirSync(join(root, 'dist'), { recursive: true });
  const log = join(root, 'dist', 'build.log');
  const out = openSync(log, 'a');
  writeSync(out, `\n$ ${program} ${args.join(' ')}\n`);
  const done = spawnSync(program, args, {
    cwd: root,
    stdio: ['ignore', out, out],
    env: { ...process.env, NG_CLI_ANALYTICS: 'false', ...env },
  });
  closeSync(out);
  if (done.status === 0) return;
  say(readFileSync(log, 'utf8').split('\n').slice(-60).join('\n'));
  say(`It failed; all of it stands in ${log}`);
  process.exit(done.status ?? 1);
}

/** One line for a step of some length: what it is, and how long it took. */
export function step(what, work) {
  const begun = Date.now();
  const took = (value) => {
    process.stdout.write(` ${((Date.now() - begun) / 1000).toFixed(0)} s\n`);
    return value;
  };
  process.stdout.write(`${what} …`);
  const value = work();
  return value instanceof Promise ? value.then(took) : took(value);
}

export function needDataFolder() {
  mkdirSync(dataFolder, { recursive: true });
}

/** How a node is started: requests make much that lives briefly, and a nursery of 16 MB, which is Node's own, is swept too often for them. */
export const nodeFlags = ['--max-semi-space-size=64'];
export const nodeArguments = [...nodeFlags, join(root, 'dist', 'server', 'main.js')];
