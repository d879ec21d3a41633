// Bare routes, on the same database server: what ours are compared with. One writes and commits one row, one reads fifty by their keys.
// They are a process of their own, as ours are: whoever asks shares no thread with what answers.
import { fork } from 'node:child_process';
import { once } from 'node:events';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';
import Fastify from 'fastify';
import { nodeFlags } from './system.mjs';

const here = fileURLToPath(import.meta.url);

/** Starts the bare routes; answers where they are, and how they end. */
export async function bareServer({ socket, user, password }) {
  const server = fork(here, {
    execArgv: nodeFlags,
    env: { ...process.env, BARE_DATABASE: JSON.stringify({ socketPath: socket, user, password }) },
  });
  const [url] = await Promise.race([
    once(server, 'message'),
    once(server, 'exit').then(() => Promise.reject(new Error('the bare routes did not start'))),
  ]);
  return {
    url,
    close: async () => {
      server.kill('SIGTERM');
      await once(server, 'exit');
    },
  };
}

if (process.argv[1] === here) {
  const mysql = createRequire(import.meta.url)('mysql2/promise');
  const pool = mysql.createPool({ ...JSON.parse(process.env.BARE_DATABASE), connectionLimit: 16 });
  await pool.query('create database if not exists bare');
  await pool.query('create table if not exists bare.rows_written (id bigint auto_increment primary key, body text not null)');
  await pool.query(`insert into bare.rows_written (body) values ${Array.from({ length: 1000 }, () => `('${'x'.repeat(200)}')`).join(',')}`);
  const app = Fastify();
  app.put('/write', async (request) => {
    const [made] = await pool.query('insert into bare.rows_written (body) values (?)', [JSON.stringify(request.body)]);
    return { id: made.insertId };
  });
  app.get('/read', async () => {
    const ids = Array.from({ length: 50 }, () => 1 + Math.floor(Math.random() * 1000));
    const [rows] = await pool.query('select * from bare.rows_written where id in (?)', [ids]);
    return { rows };
  });
  // Whoever started it is gone: so is it.
  process.on('disconnect', () => process.exit());
  process.send(await app.listen({ host: '127.0.0.1', port: 0 }));
}
