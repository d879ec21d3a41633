// A private MariaDB in a folder of the project, on a free loopback port.
import { spawn, spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export function freePort() {
  return new Promise((resolve, reject) => {
    const server = createServer();
    server.on('error', reject);
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => resolve(port));
    });
  });
}

const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
const asRoot = process.getuid?.() === 0 ? ['--user=root'] : [];

const alive = (pid) => {
  try {
    process.kill(pid, 0);
    return readFileSync(`/proc/${pid}/comm`, 'utf8').startsWith('maria');
  } catch {
    return false;
  }
};

async function end(pid) {
  if (!alive(pid)) return;
  process.kill(pid, 'SIGTERM');
  for (let i = 0; i < 300 && alive(pid); i++) await pause(100);
  if (alive(pid)) process.kill(pid, 'SIGKILL');
}

/** Ends a database that a killed run left behind in `folder`. */
export async function endLeftover(folder) {
  const pidFile = join(folder, 'db.pid');
  if (existsSync(pidFile)) await end(Number(readFileSync(pidFile, 'utf8')));
}

/**
 * Starts the database in `folder`, making it first if need be. Answers its address for the owner's account and how to stop it.
 * One that a killed run left behind is ended first. `options` are further arguments of the database server.
 */
export async function startDatabase(folder, { port, options = [] } = {}) {
  const data = join(folder, 'db');
  const secretsFile = join(folder, 'secrets.json');
  const marker = join(folder, 'db-made');
  const pidFile = join(folder, 'db.pid');
  const socket = join(tmpdir(), `cord-${createHash('sha256').update(folder).digest('hex').slice(0, 12)}.sock`);
  mkdirSync(folder, { recursive: true });
  await endLeftover(folder);
  const init = join(folder, 'init.sql');
  const fresh = !existsSync(marker);
  if (fresh) {
    rmSync(data, { recursive: true, force: true });
    const made = spawnSync(
      'mariadb-install-db',
      ['--no-defaults', `--datadir=${data}`, '--skip-test-db', '--auth-root-authentication-method=normal', ...asRoot],
      { encoding: 'utf8' },
    );
    if (made.status !== 0) throw new Error(`mariadb-install-db failed:\n${made.stderr || made.stdout}`);
    const secrets = { owner: randomBytes(18).toString('base64url'), app: randomBytes(18).toString('base64url') };
    writeFileSync(secretsFile, JSON.stringify(secrets), { mode: 0o600 });
    const lock = randomBytes(18).toString('base64url');
    writeFileSync(
      init,
      [
        `alter user 'root'@'localhost' identified by '${lock}';`,
        `drop user if exists ''@'localhost', 'root'@'127.0.0.1', 'root'@'::1';`,
        `create user 'cord_owner'@'%' identified by '${secrets.owner}';`,
        `grant all on *.* to 'cord_owner'@'%' with grant option;`,
        '',
      ].join('\n'),
      { mode: 0o600 },
    );
  }
  const secrets = JSON.parse(readFileSync(secretsFile, 'utf8'));
  const at = port ?? (await freePort());
  const server = spawn(
    existsSync('/usr/sbin/mariadbd') ? '/usr/sbin/mariadbd' : 'mariadbd',
    [
      '--no-defaults',
      `--datadir=${data}`,
      `--socket=${socket}`,
      `--port=${at}`,
      '--bind-address=127.0.0.1',
      `--pid-file=${pidFile}`,
      `--log-error=${join(folder, 'db.log')}`,
      '--character-set-server=utf8mb4',
      '--collation-server=utf8mb4_bin',
      '--innodb-buffer-pool-size=256M',
      '--max-allowed-packet=64M',
      '--skip-name-resolve',
      '--sql-mode=STRICT_ALL_TABLES',
      ...options,
      ...(fresh ? [`--init-file=${init}`] : []),
      ...asRoot,
    ],
    // A group of its own, so that Ctrl-C reaches us and we stop it in order.
    { detached: true, stdio: 'ignore' },
  );
  let ended = false;
  const over = new Promise((resolve) => server.on('exit', () => resolve((ended = true))));
  const { createConnection } = await import('mysql2/promise');
  const owner = { host: '127.0.0.1', port: at, user: 'cord_owner', password: secrets.owner };
  for (let i = 0; ; i++) {
    try {
      const connection = await createConnection(owner);
      await connection.end();
      break;
    } catch (error) {
      if (ended || i > 300) throw new Error(`The database did not start; see ${join(folder, 'db.log')}`, { cause: error });
      await pause(100);
    }
  }
  if (fresh) {
    rmSync(init, { force: true });
    writeFileSync(marker, new Date().toISOString());
  }
  server.unref();
  return { ...owner, socket, folder, appPassword: secrets.app, pid: server.pid, over, stop: () => end(server.pid) };
}

/** The secret under which signing keys are kept: a file beside the database, not in it. */
function keySecret(folder) {
  const file = join(folder, 'key-secret');
  if (!existsSync(file)) writeFileSync(file, randomBytes(24).toString('base64url'), { mode: 0o600 });
  return file;
}

/** Makes the database of that name if it is not there, and brings its tables up to date. */
export async function prepareDatabase(database, name, root) {
  const { createConnection } = await import('mysql2/promise');
  const { host, port, socket, user, password, appPassword } = database;
  const connection = await createConnection({ host, port, user, password });
  await connection.query(`create database if not exists \`${name}\` character set utf8mb4 collate utf8mb4_bin`);
  await connection.end();
  const { migrateDatabase, migrationsFolder } = await import(join(root, 'dist', 'server', 'migrate.js'));
  await migrateDatabase({ port, user, password, database: name }, { user: 'cord_app', password: appPassword }, migrationsFolder(root));
  return {
    CORD_DB_PORT: String(port),
    CORD_DB_SOCKET: socket,
    CORD_DB_USER: 'cord_app',
    CORD_DB_PASSWORD: appPassword,
    CORD_DB_NAME: name,
    CORD_KEY_SECRET_FILE: keySecret(database.folder),
    CORD_HEADS_FILE: join(database.folder, 'signed-heads.jsonl'),
    CORD_DATA_FOLDER: database.folder,
  };
}
