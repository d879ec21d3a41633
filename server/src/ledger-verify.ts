import { asc } from 'drizzle-orm';
import { addressFromEnvironment } from './address';
import { openDatabase, projects, verifyLedger } from './base';
import './rooms';

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
  const { entries, head, fault, rows, rowFaults, rowFaultCount } = await verifyLedger(database.db, id);
  if (fault) {
    broken = true;
    console.log(`BROKEN  ${name}: entry ${fault.seq} ${faultWords[fault.fault]}; the ${entries} entries before it fit.`);
  } else if (rowFaultCount) {
    broken = true;
    console.log(`BROKEN  ${name}: ${rowFaultCount} of ${rows} rows are not what the ledger says. The first:`);
    for (const { table, id: row, fault: what, seq } of rowFaults.slice(0, 10))
      console.log(`        ${table} ${row} was ${what}${seq === null ? '' : ` since entry ${seq}`}`);
  } else console.log(`sound   ${name}: ${entries} entries, ${rows} rows, head ${head}`);
}
await database.close();
process.exit(broken ? 1 : 0);
