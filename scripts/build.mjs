// Builds the server and the web application, each only where its sources changed since the last build.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { buildSync } from 'esbuild';
import { brotliCompressSync, constants, gzipSync } from 'node:zlib';
import { root, run, step } from './system.mjs';

function* files(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) yield* files(path);
    else yield path;
  }
}

function stateOf(...places) {
  const hash = createHash('sha256');
  for (const place of places) {
    const path = join(root, place);
    for (const file of statSync(path).isDirectory() ? [...files(path)].sort() : [path]) hash.update(file).update(readFileSync(file));
  }
  return hash.digest('hex');
}

const shared = ['core/src', 'contract/src', 'contract/package.json', 'tsconfig.json', 'package-lock.json'];
const parts = [
  {
    name: 'server',
    out: 'dist/server/main.js',
    sources: [...shared, 'server/src', 'demo/seed', 'scripts/build-server.mjs'],
    build: () => run(process.execPath, ['scripts/build-server.mjs']),
  },
  {
    name: 'web',
    out: 'dist/web/index.html',
    sources: [...shared, 'web', 'angular.json', 'scripts/build.mjs'],
    build: () => {
      // What the first page needs is one file rather than sixty: less is said beside it, and it compresses better.
      run('npx', ['ng', 'build', '--progress=false'], { NG_BUILD_OPTIMIZE_CHUNKS: '1' });
      buildDeviceWorker(join(root, 'dist', 'web'));
      writeFileSync(join(root, 'dist', 'web', 'sbom.cdx.json'), partsList());
      compressAll(join(root, 'dist', 'web'));
    },
  },
];

/** The worker with which the application opens without network: it knows the files of this build by their hashes. */
function buildDeviceWorker(folder) {
  const held = [...files(folder)].filter((file) => /\.(js|css|woff2|svg)$/.test(file) && !file.endsWith('cord-send.mjs'));
  const revision = (file) => createHash('sha256').update(readFileSync(file)).digest('hex').slice(0, 16);
  const entries = held.map((file) => ({
    url: `/${relative(folder, file)}`,
    revision: /-[\w-]{8}\.(?:js|css|woff2)$/.test(file) ? null : revision(file),
  }));
  // Any page of the application is the same page.
  entries.push({ url: '/device-page', revision: revision(join(folder, 'index.html')) });
  buildSync({
    absWorkingDir: root,
    entryPoints: ['web/src/app/base/device/device.worker.ts'],
    outfile: join(folder, 'device-worker.js'),
    bundle: true,
    minify: true,
    format: 'iife',
    define: { applicationFiles: JSON.stringify(entries), 'process.env.NODE_ENV': '"production"' },
    logLevel: 'warning',
  });
}

/** Each file is compressed once, here, and not at every request. */
function compressAll(folder) {
  for (const file of files(folder)) {
    if (!/\.(js|css|svg)$/.test(file)) continue;
    const bytes = readFileSync(file);
    writeFileSync(`${file}.br`, brotliCompressSync(bytes, { params: { [constants.BROTLI_PARAM_SIZE_HINT]: bytes.length } }));
    writeFileSync(`${file}.gz`, gzipSync(bytes, { level: 9 }));
  }
}

/** What ships, with versions and licences, as CycloneDX. */
function partsList() {
  return execFileSync('npm', ['sbom', '--sbom-format=cyclonedx', '--omit=dev'], {
    cwd: root,
    encoding: 'utf8',
    maxBuffer: 64 << 20,
    stdio: ['ignore', 'pipe', 'ignore'],
  });
}

export function buildAll() {
  mkdirSync(join(root, 'dist'), { recursive: true });
  for (const { name, out, sources, build } of parts) {
    const stamp = join(root, 'dist', `.${name}-state`);
    const state = stateOf(...sources);
    if (existsSync(join(root, out)) && existsSync(stamp) && readFileSync(stamp, 'utf8') === state) continue;
    rmSync(stamp, { force: true });
    step(`Building ${name === 'web' ? 'the web application (about a minute)' : 'the server'}`, build);
    writeFileSync(stamp, state);
  }
}

if (process.argv[1] === new URL(import.meta.url).pathname) buildAll();
