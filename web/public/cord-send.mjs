#!/usr/bin/env node
// cord-send: sends results, coverage and sources from a build server to Cord Proof. One file, Node 18 or newer, nothing else.
//
//   CORD_TOKEN=cord_… node cord-send.mjs --url https://cord.example --project larkfell --build 2.4.0-rc3 \
//     --configuration "rig 2 · cold" --tool ctest --version 3.25 --results unit.xml --log unit.log --coverage cov.info --sources src.zip
//
// Each of --results, --log, --coverage may come several times. --new-build names the build where it is not there yet. --json answers with what
// changed, for programs. What is sent again, after a line that broke or by a build server that starts anew, is recorded once.
//
// Ends with 0: sent; 1: sent, but something is broken (a result failed or was blocked, a case could not be run); 2: refused; 3: called wrongly, or the
// server was not reached.
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { basename } from 'node:path';

const many = new Set(['results', 'log', 'coverage']);
const flags = new Set(['json', 'new-build', 'help']);
const known = new Set([...many, ...flags, 'url', 'project', 'build', 'configuration', 'tool', 'version', 'sources', 'tries']);

function end(code, text) {
  (code ? process.stderr : process.stdout).write(`${text}\n`);
  process.exit(code);
}

function readArguments(list) {
  const found = { results: [], log: [], coverage: [] };
  for (let i = 0; i < list.length; i++) {
    const [, name, inline] = /^--([a-z-]+)(?:=(.*))?$/s.exec(list[i]) ?? [];
    if (!name || !known.has(name)) end(3, `cord-send does not know ${list[i]}. --help tells what it knows.`);
    if (flags.has(name)) found[name] = true;
    else {
      const value = inline ?? list[++i];
      if (value === undefined) end(3, `--${name} needs a value.`);
      if (many.has(name)) found[name].push(value);
      else found[name] = value;
    }
  }
  return found;
}

const given = readArguments(process.argv.slice(2));
if (given.help) {
  const [, ...lines] = readFileSync(new URL(import.meta.url), 'utf8')
    .split('\nimport ')[0]
    .split('\n');
  end(0, lines.map((line) => line.replace(/^\/\/ ?/, '')).join('\n'));
}
const token = process.env.CORD_TOKEN;
if (!token) end(3, 'CORD_TOKEN is not set: the token of a program of the project.');
for (const name of ['url', 'project', 'build']) if (!given[name]) end(3, `--${name} is missing.`);
if (!given.results.length && !given.coverage.length && !given.sources) end(3, 'Nothing is to be sent: --results, --coverage or --sources.');
if (given.results.length && (!given.tool || !given.configuration)) end(3, '--results needs --tool and --configuration.');
const tries = Number(given.tries ?? 5);

const readFile = (path) => {
  try {
    return { name: basename(path), bytes: readFileSync(path) };
  } catch (error) {
    return end(3, `${path} cannot be read: ${error.message}`);
  }
};
const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** Asks until there is an answer that is one: a line that breaks and a server that starts anew are waited for, with the same name for the same request. */
async function ask(what, path, init) {
  const url = `${given.url.replace(/\/$/, '')}/api/projects/${encodeURIComponent(given.project)}${path}`;
  for (let attempt = 1; ; attempt++) {
    let failure;
    try {
      const answer = await fetch(url, { ...init, headers: { authorization: `Bearer ${token}`, ...init.headers } });
      const text = await answer.text();
      const body = text ? JSON.parse(text) : {};
      if (answer.ok) return body;
      if (answer.status < 500 && answer.status !== 429)
        return { refusal: body.detail || body.title || `HTTP ${answer.status}`, code: body.code };
      failure = body.title || `HTTP ${answer.status}`;
    } catch (error) {
      failure = error.cause?.message ?? error.message;
    }
    if (attempt >= tries) end(3, `${what}: ${given.url} was not reached in ${attempt} tries: ${failure}`);
    if (!given.json) process.stderr.write(`${what}: ${failure}; tried again …\n`);
    await pause(Math.min(30_000, 500 * 2 ** attempt));
  }
}

/** The same files with the same words have the same name: sent twice, they are recorded once. */
function nameOf(path, files) {
  const hash = createHash('sha256').update(path);
  for (const { name, bytes } of files) hash.update(`\n${name}\n${bytes.length}\n`).update(bytes);
  return `send-${hash.digest('hex').slice(0, 40)}`;
}

function send(what, path, files) {
  const body = new FormData();
  for (const { name, bytes } of files) body.append('file', new Blob([bytes]), name);
  return ask(what, path, { method: 'POST', body, headers: { 'idempotency-key': nameOf(path, files) } });
}

const build = encodeURIComponent(given.build);
const changed = {};
if (given['new-build']) {
  const body = JSON.stringify({ name: given.build });
  const answer = await ask('build', '/builds', { method: 'POST', body, headers: { 'content-type': 'application/json' } });
  if (answer.refusal && answer.code !== 'exists' && answer.code !== 'conflict') end(2, `build: ${answer.refusal}`);
}
if (given.sources) changed.sources = await send('sources', `/builds/${build}/sources`, [readFile(given.sources)]);
if (given.results.length) {
  const question = new URLSearchParams({
    build: given.build,
    configuration: given.configuration,
    tool: given.tool,
    version: given.version ?? '',
  });
  changed.results = await send('results', `/results?${question}`, [...given.results, ...given.log].map(readFile));
}
if (given.coverage.length) changed.coverage = await send('coverage', `/builds/${build}/coverage`, given.coverage.map(readFile));

const refused = Object.entries(changed).flatMap(([what, answer]) => (answer.refusal ? [`${what}: ${answer.refusal}`] : []));
const { runs = [], unmatched = [], refused: left = [] } = Array.isArray(changed.results?.runs) ? changed.results : {};
const bad = runs.filter(({ verdict }) => verdict !== 'passed');
const broken = bad.length > 0 || left.length > 0;
const code = refused.length ? 2 : broken ? 1 : 0;
if (given.json) process.stdout.write(`${JSON.stringify({ code, ...changed }, null, 1)}\n`);
else {
  for (const line of refused) process.stderr.write(`refused: ${line}\n`);
  if (runs.length || unmatched.length) {
    process.stdout.write(`${runs.length} ${runs.length === 1 ? 'run' : 'runs'} recorded, ${bad.length} of them not passed\n`);
    for (const run of bad) process.stdout.write(`  ${run.key} of ${run.caseKey}${run.row ? ` row ${run.row}` : ''}: ${run.verdict}\n`);
    for (const name of unmatched) process.stdout.write(`  matched nothing: ${name}\n`);
    for (const { key, why } of left) process.stdout.write(`  ${key}: ${why}\n`);
  }
  if (changed.coverage && !changed.coverage.refusal) process.stdout.write('coverage loaded\n');
  if (changed.sources && !changed.sources.refusal) process.stdout.write(`${changed.sources.files} source files loaded\n`);
}
process.exit(code);
