import { asc } from 'drizzle-orm';
import { addressFromEnvironment } from './address';
import { openDatabase, projects, verifyLedger } from './base';
import { checkHeads } from './prove';
import './rooms';

const faultWords = {
  gap: 'is missing',
  link: 'does not follow the entry before it',
  hash: 'was changed: its contents do not give its hash',
};

const headWords = {
  shorter: (seq: number) => `the ledger ends before entry ${seq}, which was signed as its end`,
  another: (seq: number) => `entry ${seq} is another one than was signed`,
  forged: (seq: number) => `the file of signed ends says entry ${seq} with a signature that is not this installation's`,
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
  const heads = await checkHeads(database.db, id);
  if (heads?.fault) {
    broken = true;
    console.log(`BROKEN  ${name}: ${headWords[heads.fault.fault](heads.fault.seq)} (signed on ${heads.fault.at})`);
  } else if (heads?.last)
    console.log(`        ${heads.heads} signed ends outside the database fit, the last of entry ${heads.last.seq} on ${heads.last.at}`);
}
await database.close();
process.exit(broken ? 1 : 0);
