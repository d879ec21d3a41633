import { sql } from 'drizzle-orm';
import { keyNumber, keyPrefix } from '@core/base';
import { addressFromEnvironment } from '../src/address';
import { openDatabase, records } from '../src/base';
import { cases } from '../src/design';
import { bulkProject } from './bulk';

// A list of 100,000 cases: it is scrolled, filtered and changed under one's eyes in a browser after.
const database = openDatabase(addressFromEnvironment());
const { db, pool } = database;
const now = (): Date => new Date();
const projectId = await bulkProject(db, now);
const at = now().toISOString();
const [{ last }] = await db.select({ last: sql<number>`max(${records.id})`.mapWith(Number) }).from(records);
const many = 100_000;
for (let done = 0; done < many; done += 2000) {
  const numbers = Array.from({ length: 2000 }, (_, i) => done + i + 1);
  const title = (n: number): string => `Case ${n} of the ${n % 3 ? 'valves' : 'doors'}`;
  await db.insert(records).values(
    numbers.map((n) => ({
      id: last + n,
      projectId,
      kind: 'case' as const,
      key: `C-${n}`,
      keyPrefix: keyPrefix(`C-${n}`),
      keyNumber: keyNumber(`C-${n}`),
      title: title(n),
      words: `C-${n} ${title(n)} pressure ${n % 97}`,
      state: 'draft',
      revision: 1,
      own: {},
      createdBy: 'admin',
      createdAt: at,
      authoredBy: 'admin',
      updatedBy: 'admin',
      updatedAt: at,
    })),
  );
  await db.insert(cases).values(
    numbers.map((n) => ({
      id: last + n,
      projectId,
      everApproved: false,
      objective: 'It opens',
      preconditions: '',
      steps: [{ action: 'Look', expected: 'It is open' }],
      plannedMinutes: 1 + (n % 9),
    })),
  );
}
await pool.query('analyze table records, cases');
await database.close();
