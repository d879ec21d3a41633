import { eq } from 'drizzle-orm';
import { addBuild, addPerson, addProject, people, setMember, type Db } from '../src/base';
import { addSpecification, importRequirements } from '../src/specify';

/** A project with 10,000 requirements, imported as a user would. */
export async function bulkProject(db: Db, now: () => Date): Promise<number> {
  await addPerson(
    db,
    { login: 'admin', projectId: 0, now },
    { login: 'admin', printedName: 'Bench', password: 'bench-password', installation: true },
  );
  const [admin] = await db.select({ id: people.id }).from(people).where(eq(people.login, 'admin'));
  const { id: projectId } = await addProject(db, { login: 'admin', projectId: 0, now }, admin.id, {
    slug: 'bench',
    name: 'Bench',
    standard: 'IEC 61508',
    level: 'SIL 2',
  });
  const actor = { login: 'admin', projectId, now };
  await setMember(db, actor, 'admin', ['administrator', 'author']);
  await addBuild(db, actor, { name: '1.0', description: '' });
  await addSpecification(db, actor, { key: 'BIG', title: 'Big', prefix: 'BIG' });
  const csv = `key,title,text,level,method\n${Array.from({ length: 10_000 }, (_, i) => `BIG-${i + 1},Requirement number ${i + 1} of a long list,It shall hold.,SIL ${(i % 4) + 1},test\n`).join('')}`;
  await importRequirements(db, actor, {
    specification: 'BIG',
    fileName: 'big.csv',
    csv,
    mapping: { key: 'key', title: 'title', text: 'text', level: 'level', method: 'method' },
  });
  return projectId;
}
