import { offerSetup, type DatabaseAddress } from './base';
import { startServer } from './start';

/** The database as the environment tells it; scripts/start.mjs sets it. */
export function addressFromEnvironment(env = process.env): DatabaseAddress {
  const { CORD_DB_PORT, CORD_DB_USER, CORD_DB_PASSWORD, CORD_DB_NAME } = env;
  if (!CORD_DB_PORT || !CORD_DB_USER || !CORD_DB_NAME)
    throw new Error('CORD_DB_PORT, CORD_DB_USER, CORD_DB_PASSWORD and CORD_DB_NAME must say where the database is.');
  return { port: Number(CORD_DB_PORT), user: CORD_DB_USER, password: CORD_DB_PASSWORD ?? '', database: CORD_DB_NAME };
}

const running = await startServer({
  address: addressFromEnvironment(),
  port: Number(process.env['PORT'] ?? 4180),
  secureCookies: process.env['CORD_TLS'] === '1',
  log: process.env['CORD_LOG'] === '1',
  signInLimit: Number(process.env['CORD_SIGNIN_LIMIT']) || 20,
});
const code = await offerSetup(running.database.db);
process.stdout.write(`ready ${running.address}\n`);
if (code) process.stdout.write(`setup-code ${code}\n`);

let stopping = false;
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    if (stopping) return;
    stopping = true;
    void running.stop().then(() => process.exit(0));
  });
