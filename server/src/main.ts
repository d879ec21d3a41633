import { addressFromEnvironment } from './address';
import { offerSetup } from './base';
import { startServer } from './start';

const running = await startServer({
  address: addressFromEnvironment(),
  port: Number(process.env['PORT'] ?? 4180),
  secureCookies: process.env['CORD_TLS'] === '1',
  log: process.env['CORD_LOG'] === '1',
  ...(process.env['CORD_TRUST_PROXY'] ? { trustProxy: process.env['CORD_TRUST_PROXY'] } : {}),
  // What is not set is the application's own.
  signInLimit: Number(process.env['CORD_SIGNIN_LIMIT'] ?? 0),
  requestLimit: Number(process.env['CORD_REQUEST_LIMIT'] ?? 0),
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
