import { createPrivateKey, createPublicKey, generateKeyPairSync, sign, type KeyObject } from 'node:crypto';
import { asc, eq } from 'drizzle-orm';
import { keySecret, Refusal, settings, sha256Of, type Db } from '../base';
import { packKeys } from './tables';

export interface PackKey {
  readonly id: number;
  readonly publicKey: string;
  /** SHA-256 of the public key's file: what people compare. */
  readonly fingerprint: string;
  readonly madeAt: string;
  /** The key before signed this one. */
  readonly signature: Buffer | null;
}

/** Private keys are kept under the installation's secret. */
const passphrase = (): string => keySecret('No pack can be signed');

const publicPem = (key: KeyObject): string => createPublicKey(key).export({ type: 'spki', format: 'pem' }).toString();
const sealed = (key: KeyObject): string =>
  key.export({ type: 'pkcs8', format: 'pem', cipher: 'aes-256-cbc', passphrase: passphrase() }).toString();

function opened(pem: string): KeyObject {
  try {
    return createPrivateKey({ key: pem, passphrase: passphrase() });
  } catch (error) {
    if (error instanceof Refusal) throw error;
    throw new Refusal('stateForbids', { detail: 'The signing key cannot be opened: the secret is not the one that it was kept under.' });
  }
}

const shown = ({ id, publicKey, madeAt, signature }: typeof packKeys.$inferSelect): PackKey => ({
  id,
  publicKey,
  fingerprint: sha256Of(publicKey),
  madeAt,
  signature: signature === null ? null : Buffer.from(signature, 'base64'),
});

/** Every key that the installation ever signed with, the oldest first; the first is made when somebody asks. */
export async function listPackKeys(db: Db): Promise<PackKey[]> {
  const rows = await db.select().from(packKeys).orderBy(asc(packKeys.id));
  if (rows.length) return rows.map(shown);
  await addFirst(db);
  return (await db.select().from(packKeys).orderBy(asc(packKeys.id))).map(shown);
}

/** Of two nodes that make the first key at once, one keeps its own: the row has number 1. */
async function addFirst(db: Db): Promise<void> {
  const [old] = await db.select().from(settings).where(eq(settings.name, 'packKey'));
  const key = old?.value ? createPrivateKey(old.value) : generateKeyPairSync('ed25519').privateKey;
  await db
    .insert(packKeys)
    .ignore()
    .values({ id: 1, publicKey: publicPem(key), privateKey: sealed(key), madeAt: new Date().toISOString(), signature: null });
  // A key of the first release stood open in the settings.
  if (old?.value) await db.update(settings).set({ value: '' }).where(eq(settings.name, 'packKey'));
}

/** The key that signs now, with its private part. */
export async function signingKey(db: Db): Promise<{ readonly key: KeyObject; readonly all: readonly PackKey[] }> {
  const all = await listPackKeys(db);
  const [row] = await db
    .select()
    .from(packKeys)
    .where(eq(packKeys.id, all[all.length - 1].id));
  return { key: opened(row.privateKey), all };
}

/** Makes another key; the present one signs it, so that whoever trusts that one can trust the new one. */
export async function rotateKey(db: Db): Promise<PackKey> {
  const { key, all } = await signingKey(db);
  const { privateKey } = generateKeyPairSync('ed25519');
  const publicKey = publicPem(privateKey);
  const id = all[all.length - 1].id + 1;
  await db.insert(packKeys).values({
    id,
    publicKey,
    privateKey: sealed(privateKey),
    madeAt: new Date().toISOString(),
    signature: sign(null, Buffer.from(publicKey), key).toString('base64'),
  });
  return (await listPackKeys(db))[all.length];
}
