import type { DatabaseAddress } from './base';

/** The database as the environment tells it; the scripts set it. */
export function addressFromEnvironment(env = process.env): DatabaseAddress {
  const { CORD_DB_PORT, CORD_DB_USER, CORD_DB_PASSWORD, CORD_DB_NAME } = env;
  if (!CORD_DB_PORT || !CORD_DB_USER || !CORD_DB_NAME)
    throw new Error('CORD_DB_PORT, CORD_DB_USER, CORD_DB_PASSWORD and CORD_DB_NAME must say where the database is.');
  return { port: Number(CORD_DB_PORT), user: CORD_DB_USER, password: CORD_DB_PASSWORD ?? '', database: CORD_DB_NAME };
}
