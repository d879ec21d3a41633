// npm run ledger:verify [-- work|demo]: recomputes every chain of a database and names the first entry that does not fit.
// npm run project:again [-- work|demo]: makes what is stored of the cords afresh, and names those that were others.
// npm run key:rotate [-- work|demo]: makes another key for packs, signed by the present one.
// npm run admin -- <sign-in name> [project]: the operator's way back in, when nobody administers any more.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { prepareDatabase, startDatabase } from './database.mjs';
import { dataFolder, needModules, needPackages, root, say } from './system.mjs';

const command = process.argv[2];
const given = process.argv.slice(3);
const named = given[0] === 'work' || given[0] === 'demo' ? given.shift() : undefined;
const wanted = named ?? (existsSync(join(dataFolder, 'work', 'db-made')) ? 'work' : 'demo');
const folder = join(dataFolder, wanted);
if (!existsSync(join(folder, 'db-made'))) {
  say(`There is no ${wanted} database yet: npm start or npm run demo makes one.`);
  process.exit(1);
}
needPackages('mariadb-server');
needModules();
const { buildAll } = await import('./build.mjs');
buildAll();
const note = join(folder, 'running.json');
/** A running server's database is asked where it is; otherwise it is started for the check alone. */
const running = existsSync(note) ? JSON.parse(readFileSync(note, 'utf8')) : undefined;
const isRunning = running && existsSync(`/proc/${running.pid}`);
const database = isRunning ? undefined : await startDatabase(folder);
const env = isRunning ? running.env : await prepareDatabase(database, 'cord', root);
const done = spawnSync(process.execPath, [join(root, `dist/server/${command}.js`), ...given], {
  stdio: 'inherit',
  env: { ...process.env, ...env },
});
await database?.stop();
process.exit(done.status ?? 1);
