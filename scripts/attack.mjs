// A part of npm run bench: what small and hostile input costs those who only work. Four signed-in attackers send it again and again, while
// the health of the node and the lists of a person at work are asked for as before.
import { gzipSync } from 'node:zlib';
import { zipSync, strToU8 } from 'fflate';
import { say } from './system.mjs';

const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
const share = (of, part) => [...of].sort((a, b) => a - b)[Math.floor((of.length - 1) * part)] ?? 0;

/** Inputs that stopped an earlier release for seconds or for good, and their kin. */
function weapons() {
  const zip = (text) => Buffer.from(zipSync({ 'src/a.c': strToU8(text) }));
  const csv = (text) => ({ csv: text, mapping: { key: 'key', title: 'title', text: 'text' } });
  return [
    ['coverage', 'bomb.info.gz', gzipSync(Buffer.alloc(64 << 20))],
    ['coverage', 'large.info.gz', gzipSync(Buffer.alloc(1 << 30))],
    ['coverage', 'deep.json', Buffer.from('['.repeat(2_000_000))],
    [
      'coverage',
      'entities.xml',
      Buffer.from(`<!DOCTYPE a [<!ENTITY b "${'x'.repeat(1000)}">${'<!ENTITY c "&b;&b;&b;">'.repeat(50)}]><coverage>&c;</coverage>`),
    ],
    ['coverage', 'lines.info', Buffer.from(`SF:a.c\n${'DA:1,1\n'.repeat(2_000_000)}end_of_record\n`)],
    ['sources', 'backslashes.zip', zip('\\'.repeat(300 << 10))],
    ['sources', 'spaces.zip', zip(`a()${' '.repeat(300 << 10)}`)],
    ['sources', 'names.zip', zip('/* @req BRK-001 */ '.repeat(20_000))],
    ['sources', 'comments.zip', zip('/*'.repeat(200_000))],
    ['import', '', csv(`key,title,text\n${'"'.repeat(900_000)}`)],
    ['import', '', csv(`key,title,text\n${'X-1,a,b\n'.repeat(50_000)}`)],
  ];
}

async function session(url, login) {
  const answer = await fetch(`${url}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ login, password: 'larkfell-demo' }),
  });
  return String(answer.headers.get('set-cookie')).split(';')[0];
}

/** Asks for health, and for lists as somebody at work does, for so many milliseconds; answers how long each took. */
async function atWork(url, cookie, ms) {
  const spent = { health: [], lists: [] };
  const until = performance.now() + ms;
  const timed = async (kind, path) => {
    const from = performance.now();
    await (await fetch(`${url}/api${path}`, { headers: { cookie } })).text();
    spent[kind].push(performance.now() - from);
  };
  await Promise.all([
    (async () => {
      for (; performance.now() < until; await pause(50)) await timed('health', '/health');
    })(),
    (async () => {
      for (; performance.now() < until; await pause(100)) {
        await timed('lists', '/projects/larkfell/cases?limit=50');
        await timed('lists', '/projects/larkfell/requirements?limit=50');
      }
    })(),
  ]);
  return spent;
}

/** Prints how a node with the demo fares while it is attacked, against how it does in peace. */
export async function underAttack(url, watched = 20_000) {
  const [cookie, attacker] = [await session(url, 'tomas.vell'), await session(url, 'mira.oberon')];
  await atWork(url, cookie, 2000);
  const peace = await atWork(url, cookie, watched / 2);
  let over = false;
  const refused = new Map();
  const all = weapons();
  const attack = async (from) => {
    for (let i = from; !over; i++) {
      const [kind, name, content] = all[i % all.length];
      const form = new FormData();
      if (kind !== 'import') form.append('file', new Blob([content]), name);
      const answer = await fetch(
        `${url}/api/projects/larkfell/${kind === 'import' ? 'imports/requirements/preview' : `builds/2.4.0-rc2/${kind}?preview=yes`}`,
        {
          method: 'POST',
          headers: { cookie: attacker, ...(kind === 'import' ? { 'content-type': 'application/json' } : {}) },
          body: kind === 'import' ? JSON.stringify(content) : form,
        },
      ).catch((error) => ({ status: String(error.cause?.code ?? error.message), text: async () => '' }));
      await answer.text();
      refused.set(answer.status, (refused.get(answer.status) ?? 0) + 1);
    }
  };
  const attacks = [0, 3, 6, 9].map(attack);
  await pause(1000);
  const war = await atWork(url, cookie, watched);
  over = true;
  await Promise.all(attacks);
  const row = (what, figure, target) => say(`${what.padEnd(62)} ${figure.padStart(22)}   ${target}`);
  const ms = (of, part) => `${share(of, part).toFixed(0)} ms`;
  row('health in peace, p95 and worst', `${ms(peace.health, 0.95)}, ${ms(peace.health, 1)}`, '');
  row('health while four attack, p95 and worst', `${ms(war.health, 0.95)}, ${ms(war.health, 1)}`, 'target: under 100 ms');
  row('a page of a list in peace, median and p95', `${ms(peace.lists, 0.5)}, ${ms(peace.lists, 0.95)}`, '');
  row('the same while four attack', `${ms(war.lists, 0.5)}, ${ms(war.lists, 0.95)}`, '');
  row('times as slow, at the median', `${(share(war.lists, 0.5) / share(peace.lists, 0.5)).toFixed(1)} x`, 'target: at most 2 x');
  row('answers to the attacks', [...refused].map(([status, n]) => `${n} x ${status}`).join(', '), 'none 5xx');
}
