import { asc } from 'drizzle-orm';
import { addressFromEnvironment } from './address';
import { openDatabase, projects, verifyLedger } from './base';

const faultWords = {
  gap: 'is missing',
  link: 'does not follow the entry before it',
  hash: 'was changed: its contents do not give its hash',
};

const database = openDatabase(addressFromEnvironment());
let broken = false;
const chains = [
  { id: 0, name: 'the installation' },
  ...(await database.db.select({ id: projects.id, name: projects.name }).from(projects).orderBy(asc(projects.id))),
];
for (const { id, name } of chains) {
  const { entries, head, fault } = await verifyLedger(database.db, id);
  if (fault) {
    broken = true;
    console.log(`BROKEN  ${name}: entry ${fault.seq} ${faultWords[fault.fault]}; the ${entries} entries before it fit.`);
  } else console.log(`sound   ${name}: ${entries} entries, head ${head}`);
}
await database.close();
process.exit(broken ? 1 : 0);
