import { drizzle, type MySql2Database } from 'drizzle-orm/mysql2';
import { createPool, type Pool } from 'mysql2/promise';

export interface DatabaseAddress {
  readonly host?: string;
  /** The socket of a database on this machine: a question over it costs two thirds of one over the loopback. */
  readonly socket?: string | undefined;
  readonly port: number;
  readonly user: string;
  readonly password: string;
  readonly database: string;
  /** Connections of this node at most. */
  readonly connections?: number;
  readonly tls?: boolean;
}

export type Db = MySql2Database<Record<string, never>>;
export type Tx = Parameters<Parameters<Db['transaction']>[0]>[0];

export interface Database {
  readonly pool: Pool;
  readonly db: Db;
  close(): Promise<void>;
}

export function openDatabase({ host = '127.0.0.1', socket, connections = 16, tls, ...address }: DatabaseAddress): Database {
  const options = {
    host,
    ...address,
    ...(socket ? { socketPath: socket } : {}),
    ...(tls ? { ssl: {} } : {}),
    supportBigNumbers: true,
    charset: 'utf8mb4_bin',
    connectTimeout: 5000,
    maxPreparedStatements: 500,
    // A stack for each question costs more than many an answer; an error names its query anyway.
    trace: false,
  };
  const pool = createPool({ ...options, connectionLimit: connections });
  const db = drizzle(pool);
  // Several questions in one packet: see packets.ts. Their texts hold what people send only as escaped values, as everywhere.
  const packed = { ...options, multipleStatements: true };
  const recordings = createPool({ ...packed, connectionLimit: recordingConnections });
  onEach(recordings, 'set session transaction isolation level read committed');
  const readings = createPool({ ...packed, connectionLimit: Math.max(2, connections / 2) });
  // What a page keeps may be as long as its rows' texts. Of the fifty ids of a page nobody needs to know how many rows each has before they
  // are read: looking that up took as long as the reading.
  onEach(
    readings,
    'set session transaction read only; set session group_concat_max_len = 67108864; set session eq_range_index_dive_limit = 20',
  );
  besides.set(db, { recording: drizzle(recordings), reading: drizzle(readings) });
  return { pool, db, close: async () => void (await Promise.all([pool.end(), recordings.end(), readings.end()])) };
}

/** Says something on each new connection first. One that the database left before is none: what waits for it fails, and is tried again. */
function onEach(pool: Pool, said: string): void {
  pool.pool.on('connection', (connection) => connection.query(said, (error) => error && connection.destroy()));
}

const recordingConnections = 4;
const besides = new WeakMap<Db, { readonly recording: Db; readonly reading: Db }>();

/**
 * The same database over connections whose transactions read what others have committed: for acts that are brief and many, which need not
 * say so each time.
 */
export const forRecording = (db: Db): Db => besides.get(db)?.recording ?? db;

/** The same database over connections that only read. */
export const forReading = (db: Db): Db => besides.get(db)?.reading ?? db;
