import { randomBytes } from 'node:crypto';
import type { Token } from '@contract/base';
import { sha256Hex, type Role } from '@core/base';
import { and, asc, eq } from 'drizzle-orm';
import type { Db } from './database';
import { Refusal } from './errors';
import { tokens } from './tables';
import { write, type Actor } from './writing';

const asToken = (row: typeof tokens.$inferSelect): Token => {
  const { id, name, roles, createdBy, createdAt, expiresAt, endedAt } = row;
  return { id, name, roles: [...roles], createdBy, createdAt, expiresAt, endedAt };
};

export async function listTokens(db: Db, projectId: number): Promise<Token[]> {
  const rows = await db.select().from(tokens).where(eq(tokens.projectId, projectId)).orderBy(asc(tokens.id)).limit(500);
  return rows.map(asToken);
}

/** Makes an account for a program. Its secret is answered here and nowhere else: only its hash is kept. */
export function addToken(
  db: Db,
  actor: Actor,
  { name, roles, days }: { name: string; roles: readonly Role[]; days: number },
): Promise<{ token: Token; secret: string }> {
  const secret = `cord_${randomBytes(24).toString('base64url')}`;
  return write(db, actor, async (w) => {
    const expiresAt = new Date(actor.now().getTime() + days * 24 * 3600_000).toISOString();
    const [made] = await w.tx
      .insert(tokens)
      .values({
        projectId: actor.projectId,
        name,
        secretHash: sha256Hex(secret),
        roles: [...new Set(roles)],
        createdBy: actor.login,
        createdAt: w.at,
        expiresAt,
      })
      .$returningId();
    w.log({ action: 'program admitted', kind: 'person', key: `program:${name}`, after: { roles: [...new Set(roles)], expiresAt } });
    const [row] = await w.tx.select().from(tokens).where(eq(tokens.id, made.id));
    return { token: asToken(row), secret };
  });
}

export function endToken(db: Db, actor: Actor, id: number): Promise<void> {
  return write(db, actor, async (w) => {
    const [row] = await w.tx
      .select()
      .from(tokens)
      .where(and(eq(tokens.projectId, actor.projectId), eq(tokens.id, id)))
      .for('update');
    if (!row) throw new Refusal('notFound');
    if (row.endedAt !== null) return;
    await w.tx.update(tokens).set({ endedAt: w.at }).where(eq(tokens.id, id));
    w.log({ action: 'program dismissed', kind: 'person', key: `program:${row.name}` });
  });
}
