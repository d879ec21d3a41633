// Bare routes, on the same database server: what ours are compared with. One writes and commits one row, one reads fifty by their keys.
import { createRequire } from 'node:module';
import Fastify from 'fastify';

export async function bareServer({ socket, user, password }) {
  const mysql = createRequire(import.meta.url)('mysql2/promise');
  const pool = mysql.createPool({ socketPath: socket, user, password, connectionLimit: 16 });
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
  const url = await app.listen({ host: '127.0.0.1', port: 0 });
  return { url, close: () => Promise.all([app.close(), pool.end()]) };
}
