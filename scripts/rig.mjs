// npm run rig [-- --cases C-001,C-002 --build 2.4.0-rc2 --configuration "rig 3 · room temperature" --fail 0.2 --pause 2 --url http://127.0.0.1:4180]
// A small simulated test rig: compiles the demo's C program with coverage, fetches the runs that are planned for it, drives the program with the inputs of
// each case, and sends verdict, log and coverage as they come, through cord-send, under its own token. `--fail` is the share of runs that it spoils.
import { execFileSync, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dataFolder, needDataFolder, needPackages, root, say } from './system.mjs';

needPackages('gcc');
const given = Object.fromEntries(
  process.argv
    .slice(2)
    .join('\n')
    .split(/(?:^|\n)--/)
    .slice(1)
    .map((part) => part.split('\n')),
);
const url = given.url ?? 'http://127.0.0.1:4180';
const project = given.project ?? 'larkfell';
const build = given.build ?? '2.4.0-rc2';
const configuration = given.configuration ?? 'rig 3 · room temperature';
const fail = Number(given.fail ?? 0);
const pause = Number(given.pause ?? 1) * 1000;
const name = 'rig';
const kept = join(dataFolder, 'rig-token');
const token = process.env.CORD_TOKEN ?? (await keptToken()) ?? (await admitRig());

/** The token of before, while the application still knows it. */
async function keptToken() {
  if (!existsSync(kept)) return undefined;
  const secret = readFileSync(kept, 'utf8');
  const answer = await fetch(`${url}/api/projects/${project}/configurations`, { headers: { authorization: `Bearer ${secret}` } });
  return answer.ok ? secret : undefined;
}

/** In the demo the administrator admits the rig by itself; elsewhere its token stands in CORD_TOKEN. */
async function admitRig() {
  const origin = { 'content-type': 'application/json', origin: url };
  const body = JSON.stringify({ login: 'admin', password: 'larkfell-demo' });
  const signedIn = await fetch(`${url}/api/session`, { method: 'POST', headers: origin, body });
  if (!signedIn.ok) throw new Error('Set CORD_TOKEN to the token of a program that is a tester: this is not the demo.');
  const cookie = signedIn.headers
    .getSetCookie()
    .map((line) => line.split(';')[0])
    .join('; ');
  const headers = { ...origin, cookie };
  const ask = JSON.stringify({ name, roles: ['tester'], days: 30 });
  const made = await fetch(`${url}/api/projects/${project}/tokens`, { method: 'POST', headers, body: ask });
  const { secret, detail, title } = await made.json();
  if (!secret) throw new Error(`The rig was not admitted: ${detail ?? title}`);
  needDataFolder();
  writeFileSync(kept, secret, { mode: 0o600 });
  return secret;
}

async function ask(method, path, body) {
  const answer = await fetch(`${url}/api/projects/${project}${path}`, {
    method,
    headers: { authorization: `Bearer ${token}`, ...(body ? { 'content-type': 'application/json' } : {}) },
    ...(body ? { body: JSON.stringify(body) } : {}),
  });
  const told = await answer.json();
  if (!answer.ok) throw new Error(told.detail ?? told.fields?.[0]?.text ?? told.title);
  return told;
}

/** What is planned for the rig on this build and not done, as the server has it. */
async function planned() {
  const filter = {
    and: [
      { field: 'tester', is: [`program:${name}`] },
      { field: 'state', is: ['planned'] },
    ],
  };
  const question = new URLSearchParams({ filter: JSON.stringify(filter), build, limit: '200' });
  return (await ask('GET', `/runs?${question}`)).rows;
}

const gondola = join(root, 'demo', 'gondola');
const work = mkdtempSync(join(tmpdir(), 'cord-rig-'));
process.on('exit', () => rmSync(work, { recursive: true, force: true }));
cpSync(gondola, work, { recursive: true });
const shell = (program, args) => execFileSync(program, args, { cwd: work, stdio: ['ignore', 'pipe', 'inherit'] });
for (const file of readdirSync(join(work, 'src')).filter((path) => path.endsWith('.c')))
  shell('gcc', ['-O0', '-g', '--coverage', '-Isrc', '-c', `src/${file}`, '-o', file.replace(/\.c$/, '.o')]);
shell('gcc', ['-O0', '-Isrc', '-c', 'rig/rig.c', '-o', 'rig.o']);
shell('gcc', ['--coverage', ...readdirSync(work).filter((path) => path.endsWith('.o')), '-o', 'gondola']);
const version = execFileSync('gcc', ['-dumpfullversion'], { encoding: 'utf8' }).trim();
const escaped = (text) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

let runs = await planned();
if (!runs.length) {
  const cases = (given.cases ?? 'C-001,C-002,C-003,C-004,C-005').split(',');
  const reason = 'The rig has it again.';
  const title = `Rig, ${new Date().toISOString().slice(0, 16).replace('T', ' ')}`;
  await ask('POST', '/rounds', { build, title, configuration, tester: `program:${name}`, cases, tools: `gcc ${version}`, reason });
  runs = await planned();
}
say(`${runs.length} ${runs.length === 1 ? 'run' : 'runs'} planned for the rig on ${build}`);
for (const run of runs) {
  for (const file of readdirSync(work).filter((path) => path.endsWith('.gcda'))) rmSync(join(work, file));
  const done = spawnSync('./gondola', ['cases.txt', run.caseKey], { cwd: work, encoding: 'utf8' });
  const spoiled = Math.random() < fail;
  const log = `${done.stdout}${done.stderr}${spoiled ? 'The rig lost its supply for 40 ms.\n' : ''}`;
  const passed = done.status === 0 && !spoiled;
  const failure = passed
    ? ''
    : `<failure message="${escaped(spoiled ? 'the rig lost its supply' : 'a check does not hold')}">${escaped(log)}</failure>`;
  const row = run.row === null ? '' : ` row ${run.row}`;
  writeFileSync(
    join(work, `${run.caseKey}.xml`),
    `<?xml version="1.0"?><testsuite name="rig"><testcase name="${run.caseKey}${escaped(row)}" time="0.1">${failure}</testcase></testsuite>`,
  );
  writeFileSync(join(work, `${run.caseKey}.log`), log || 'The rig said nothing.\n');
  const coverage = coverageOf(run.caseKey);
  const sent = spawnSync(
    process.execPath,
    [
      join(root, 'web', 'public', 'cord-send.mjs'),
      ...['--url', url, '--project', project, '--build', build, '--configuration', run.configuration],
      ...[
        '--tool',
        'gondola-rig',
        '--version',
        version,
        '--results',
        join(work, `${run.caseKey}.xml`),
        '--log',
        join(work, `${run.caseKey}.log`),
      ],
      ...coverage.flatMap((file) => ['--coverage', file]),
    ],
    { env: { ...process.env, CORD_TOKEN: token }, encoding: 'utf8' },
  );
  say(`${run.key} of ${run.caseKey}: ${passed ? 'passed' : 'failed'}; ${(sent.stdout + sent.stderr).trim().split('\n').join('; ')}`);
  if (sent.status > 1) process.exit(sent.status);
  await new Promise((resolve) => setTimeout(resolve, pause));
}

/** What the run exercised, as gcov's own JSON, named for the case. */
function coverageOf(caseKey) {
  for (const file of readdirSync(work).filter((path) => path.endsWith('.gcov.json.gz'))) rmSync(join(work, file));
  const data = readdirSync(work).filter((path) => path.endsWith('.gcda'));
  if (!data.length) return [];
  spawnSync('gcov', ['--json-format', '--branch-probabilities', ...data], { cwd: work, stdio: 'ignore' });
  return readdirSync(work)
    .filter((path) => path.endsWith('.gcov.json.gz') && !path.startsWith('rig'))
    .map((path) => {
      const named = join(work, `${caseKey}.${path}`);
      writeFileSync(named, readFileSync(join(work, path)));
      return named;
    });
}
