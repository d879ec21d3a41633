import type { DatabaseAddress } from './base';

/** The database as the environment tells it; the scripts set it. A setting that is missing or wrong is named. */
export function addressFromEnvironment(env = process.env): DatabaseAddress {
  const need = (name: string): string => {
    const value = env[name];
    if (!value)
      throw new Error(`${name} must be set: CORD_DB_PORT, CORD_DB_USER, CORD_DB_PASSWORD and CORD_DB_NAME say where the database is.`);
    return value;
  };
  const whole = (name: string, fallback: number): number => {
    const value = env[name] === undefined ? fallback : Number(env[name]);
    if (!Number.isInteger(value) || value < 1) throw new Error(`${name} must be a whole number from 1 on, not “${env[name]}”.`);
    return value;
  };
  return {
    host: env['CORD_DB_HOST'] ?? '127.0.0.1',
    port: whole('CORD_DB_PORT', 3306),
    socket: env['CORD_DB_SOCKET'],
    user: need('CORD_DB_USER'),
    password: env['CORD_DB_PASSWORD'] ?? '',
    database: need('CORD_DB_NAME'),
    connections: whole('CORD_DB_CONNECTIONS', 24),
    tls: env['CORD_DB_TLS'] === '1',
  };
}
