import { asc } from 'drizzle-orm';
import { addressFromEnvironment } from './address';
import { openDatabase, projects } from './base';
import { projectAgain, Projector } from './prove';
import './rooms';

const database = openDatabase(addressFromEnvironment());
const projector = new Projector(database.db, () => new Date());
let differed = false;
for (const { id, name } of await database.db.select({ id: projects.id, name: projects.name }).from(projects).orderBy(asc(projects.id))) {
  const drifts = await projectAgain({ database }, projector, id);
  for (const { build, keys } of drifts) console.log(`DIFFERED  ${name} ${build}: ${keys.join(', ')}`);
  if (drifts.length) differed = true;
  else console.log(`the same  ${name}`);
}
await database.close();
process.exit(differed ? 1 : 0);
