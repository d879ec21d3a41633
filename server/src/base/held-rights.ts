import type { May } from '@contract/base';
import type { Role } from '@core/base';
import { sql } from 'drizzle-orm';
import type { Tx } from './database';
import { memberships, people, tokens } from './tables';

export interface Held {
  readonly installation: boolean;
  readonly roles: readonly Role[];
}
/** What people and programs may do in a project now, by who they are; nothing of those who are gone. */
export type HeldRights = ReadonlyMap<string, Held>;
/** Who asks for rights, and for which. */
export interface Rights {
  readonly personId: number;
  readonly tokenId?: number;
  readonly may: May;
  readonly factorShown?: boolean;
}

export const holderOf = ({ personId, tokenId }: Rights): string => (tokenId === undefined ? `person ${personId}` : `program ${tokenId}`);

/** Reads what some may do, locked: what takes a right away waits for their acts, or they for it. */
export async function heldRights(tx: Tx, projectId: number, rights: readonly Rights[]): Promise<HeldRights> {
  const persons = [...new Set(rights.flatMap((r) => (r.tokenId === undefined ? r.personId : [])))];
  const programs = [...new Set(rights.flatMap((r) => r.tokenId ?? []))];
  const held = new Map<string, { installation: boolean; roles: Role[] }>();
  if (persons.length) {
    const [rows] = (await tx.execute(
      sql`select p.id, p.installation, m.role from ${people} p left join ${memberships} m on m.person_id = p.id and m.project_id = ${projectId} where p.id in ${persons} and not p.disabled lock in share mode`,
    )) as unknown as [{ id: number; installation: number; role: Role | null }[]];
    for (const { id, installation, role } of rows) {
      const known = held.get(`person ${id}`) ?? { installation: Boolean(installation), roles: [] };
      held.set(`person ${id}`, known);
      if (role) known.roles.push(role);
    }
  }
  if (programs.length) {
    const [rows] = (await tx.execute(
      sql`select t.id, t.roles from ${tokens} t where t.id in ${programs} and t.ended_at is null lock in share mode`,
    )) as unknown as [{ id: number; roles: string }[]];
    for (const { id, roles } of rows) held.set(`program ${id}`, { installation: false, roles: JSON.parse(roles) as Role[] });
  }
  return held;
}
