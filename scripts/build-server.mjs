// Bundles the server, its workers and commands into dist/server; packages stay in node_modules.
import { build } from 'esbuild';
import { mkdirSync, rmSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));

/** @param {{ entryPoints: Record<string, string>, outdir: string }} told */
export async function bundle({ entryPoints, outdir }) {
  await build({
    absWorkingDir: root,
    entryPoints,
    outdir,
    bundle: true,
    splitting: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    packages: 'external',
    sourcemap: 'linked',
    tsconfig: 'tsconfig.json',
    logLevel: 'warning',
    chunkNames: 'chunks/[name]-[hash]',
  });
}

export async function buildServer() {
  await bundle({
    entryPoints: {
      main: 'server/src/main.ts',
      jobs: 'server/src/job-worker.ts',
      parse: 'server/src/parse-worker.ts',
      'key-rotate': 'server/src/key-rotate.ts',
      admin: 'server/src/admin.ts',
      projector: 'server/src/prove/projector-worker.ts',
      migrate: 'server/src/migrate.ts',
      'project-again': 'server/src/project-again.ts',
      'ledger-verify': 'server/src/ledger-verify.ts',
      seed: 'demo/seed/seed.ts',
    },
    outdir: 'dist/server',
  });
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  rmSync(`${root}/dist/server`, { recursive: true, force: true });
  mkdirSync(`${root}/dist/server`, { recursive: true });
  await buildServer();
}
