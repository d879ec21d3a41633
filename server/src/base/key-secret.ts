import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { Refusal } from './errors';

/**
 * The secret under which keys are kept, from a file or the environment: it never stands in the database, so that a copy of that opens
 * nothing. `what` cannot be done without it.
 */
export function keySecret(what: string, env = process.env): string {
  const file = env['CORD_KEY_SECRET_FILE'];
  const secret = file && existsSync(file) ? readFileSync(file, 'utf8').trim() : (env['CORD_KEY_SECRET'] ?? '');
  if (secret.length < 16)
    throw new Refusal('stateForbids', {
      detail: `${what}: CORD_KEY_SECRET_FILE must name a file with a secret of at least 16 characters, kept outside the database.`,
    });
  return secret;
}

const algorithm = 'aes-256-gcm';
const keyFor = (purpose: string, what: string): Buffer => Buffer.from(hkdfSync('sha256', keySecret(what), 'cord-proof', purpose, 32));

/** A text sealed for one purpose (AES-256-GCM under a key derived from the secret): 12 bytes of nonce, 16 of tag, the rest; in base64. */
export function seal(purpose: string, text: string, what: string): string {
  const nonce = randomBytes(12);
  const cipher = createCipheriv(algorithm, keyFor(purpose, what), nonce);
  const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), body]).toString('base64');
}

/** The text of what `seal` answered; refused where it was changed, or sealed under another secret. */
export function unseal(purpose: string, sealed: string, what: string): string {
  const bytes = Buffer.from(sealed, 'base64');
  try {
    const decipher = createDecipheriv(algorithm, keyFor(purpose, what), bytes.subarray(0, 12));
    decipher.setAuthTag(bytes.subarray(12, 28));
    return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8');
  } catch (error) {
    if (error instanceof Refusal) throw error;
    throw new Refusal('stateForbids', { detail: `${what}: the secret is not the one that it was kept under.` });
  }
}
