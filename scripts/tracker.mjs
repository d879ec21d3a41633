// npm run tracker [-- --port 4191 --hook http://127.0.0.1:4180/api/trackers/larkfell/hook]
// A small simulated issue tracker with a page of its own: items with title, state and comments, plain JSON over HTTP, what happened as a list of events with
// numbers, and a signed call to whoever wants to know that something did. `npm run demo` starts one beside the application.
import { createHmac, timingSafeEqual } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { dirname, join } from 'node:path';
import { pathToFileURL } from 'node:url';

export const demoToken = 'tracker-token-of-the-demo';
export const demoSecret = 'tracker-secret-of-the-demo';
export const states = ['New', 'In work', 'Done', 'Closed'];

/** Starts a tracker; `file` keeps what it knows, `hook` is called after each event with a signature under `secret`. */
export function startTracker({ port = 0, file, hook, token = demoToken, secret = demoSecret }) {
  const kept = file && existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : { items: [], events: [], answers: {} };
  const keep = () => {
    if (!file) return;
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(`${file}.new`, JSON.stringify(kept));
    renameSync(`${file}.new`, file);
  };
  const shown = ({ comments: _, ...item }) => item;

  /** Tells that something happened; what cannot be told now is told with the next, or by whoever asks for the events. */
  async function tell() {
    if (!hook) return;
    const sequence = kept.events.length;
    const time = new Date().toISOString();
    const signature = createHmac('sha256', secret).update(`${time}.${sequence}`).digest('hex');
    await fetch(hook, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'tracker-time': time, 'tracker-signature': signature },
      body: JSON.stringify({ sequence }),
      signal: AbortSignal.timeout(3000),
    }).catch(() => undefined);
  }
  function happened(kind, item, more = {}) {
    kept.events.push({ sequence: kept.events.length + 1, kind, item: shown(item), ...more });
    keep();
    void tell();
  }
  const find = (id) => kept.items.find((item) => item.id === id);

  /** What is asked of it, by method and path. `operation` names a request: the same again gets the same answer and is not done again. */
  const acts = [
    [
      'GET',
      /^\/api\/events$/,
      (_, { query }) => ({ events: kept.events.filter((event) => event.sequence > Number(query.get('after') ?? 0)).slice(0, 200) }),
    ],
    ['GET', /^\/api\/items$/, () => ({ items: kept.items.map(shown) })],
    [
      'POST',
      /^\/api\/items$/,
      (_, { body, operation, origin }) => {
        const id = `ITEM-${kept.items.length + 1}`;
        const item = {
          id,
          title: String(body.title ?? ''),
          state: body.state ?? states[0],
          text: body.text ?? '',
          version: 1,
          url: `${origin}/#${id}`,
          comments: [],
        };
        kept.items.push(item);
        happened('item', item, operation ? { operation } : {});
        return { item: shown(item) };
      },
    ],
    ['GET', /^\/api\/items\/([\w-]+)$/, ([id]) => (find(id) ? { item: shown(find(id)), comments: find(id).comments } : undefined)],
    [
      'PUT',
      /^\/api\/items\/([\w-]+)$/,
      ([id], { body, operation }) => {
        const item = find(id);
        if (!item) return undefined;
        if (body.basedOn !== undefined && body.basedOn !== item.version) return { status: 409, item: shown(item) };
        if (body.state !== undefined && !states.includes(body.state)) return { status: 422, text: `There is no state ${body.state}.` };
        Object.assign(item, { title: body.title ?? item.title, state: body.state ?? item.state, version: item.version + 1 });
        happened('item', item, operation ? { operation } : {});
        return { item: shown(item) };
      },
    ],
    [
      'POST',
      /^\/api\/items\/([\w-]+)\/comments$/,
      ([id], { body, operation }) => {
        const item = find(id);
        if (!item) return undefined;
        const comment = { id: `${id}-${item.comments.length + 1}`, by: String(body.by ?? 'somebody'), text: String(body.text ?? '') };
        item.comments.push(comment);
        happened('comment', item, { comment, ...(operation ? { operation } : {}) });
        return { comment };
      },
    ],
  ];

  const same = (a, b) => a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));
  const server = createServer(async (request, response) => {
    const { origin, pathname, searchParams } = new URL(request.url ?? '/', `http://${request.headers.host}`);
    const answer = (status, value, type = 'application/json') =>
      response.writeHead(status, { 'content-type': type }).end(type === 'application/json' ? JSON.stringify(value) : value);
    if (pathname === '/') return answer(200, page, 'text/html; charset=utf-8');
    if (pathname === '/page.js') return answer(200, script, 'text/javascript');
    // The page of this machine needs no token, programs do.
    const own = request.headers['sec-fetch-site'] === 'same-origin';
    if (!own && !same(request.headers.authorization ?? '', `Bearer ${token}`)) return answer(401, { text: 'The token is not known.' });
    const parts = [];
    for await (const part of request) parts.push(part);
    let body = {};
    try {
      body = parts.length ? JSON.parse(Buffer.concat(parts).toString('utf8')) : {};
    } catch {
      return answer(400, { text: 'That is no JSON.' });
    }
    const operation = request.headers['idempotency-key'];
    if (operation && kept.answers[operation]) return answer(kept.answers[operation].status ?? 200, kept.answers[operation]);
    for (const [method, pattern, act] of acts) {
      const found = method === request.method ? pattern.exec(pathname) : null;
      if (!found) continue;
      const value = act(found.slice(1), { body, query: searchParams, operation, origin });
      if (value === undefined) return answer(404, { text: 'There is no such item.' });
      if (operation && value.status !== 409) {
        kept.answers[operation] = value;
        keep();
      }
      return answer(value.status ?? 200, value);
    }
    return answer(404, { text: 'There is nothing here.' });
  });
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', () =>
      resolve({
        url: `http://127.0.0.1:${server.address().port}`,
        kept,
        stop: () => new Promise((ended) => (server.close(ended), server.closeAllConnections())),
      }),
    );
  });
}

const page = `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>Workshop tracker (simulated)</title><link rel="icon" href="data:,">
<style>
  body { margin: 0; font: 15px/1.45 system-ui, sans-serif; color: #22262b; background: #eef1f0; }
  header { padding: 14px 24px; background: #2f3b35; color: #fff; }
  main { max-width: 900px; margin: 20px auto; padding: 0 20px; display: grid; gap: 14px; }
  article, form.new { background: #fff; border: 1px solid #d4dad6; border-radius: 6px; padding: 14px 18px; display: grid; gap: 8px; }
  .line { display: flex; gap: 8px; align-items: center; flex-wrap: wrap; }
  input, select, button { font: inherit; padding: 6px 9px; border: 1px solid #9aa8a0; border-radius: 4px; background: #fff; }
  input { flex: 1; min-width: 200px; } button { background: #2f6b4f; border-color: #2f6b4f; color: #fff; }
  small { color: #56605a; } ul { margin: 0; padding-left: 20px; }
</style>
<header><strong>Workshop tracker</strong> <span>simulated, on this machine</span></header>
<main><form class="new"><div class="line"><input name="title" aria-label="Title of a new item" placeholder="A new item" required><button>Add</button></div></form><div id="items" style="display:grid;gap:14px"></div></main>
<script src="/page.js"></script></html>`;

const script = `
const states = ${JSON.stringify(states)};
const ask = (method, path, body) => fetch(path, { method, headers: { 'content-type': 'application/json' }, ...(body ? { body: JSON.stringify(body) } : {}) }).then((r) => r.json());
const make = (tag, more, ...inner) => { const e = Object.assign(document.createElement(tag), more); e.append(...inner); return e; };
/** What is drawn of each item: it stays while what it says changes, so that what somebody is writing in it stays. */
const drawn = new Map();
function card(id) {
  const title = make('input', { ariaLabel: 'Title of ' + id });
  const state = make('select', { ariaLabel: 'State of ' + id }, ...states.map((s) => make('option', { value: s, textContent: s })));
  const text = make('input', { placeholder: 'A comment', ariaLabel: 'Comment on ' + id });
  const said = {};
  const save = () => {
    Object.assign(said, { title: title.value, state: state.value });
    return ask('PUT', '/api/items/' + id, { ...said }).then(() => draw());
  };
  const say = () => {
    const words = text.value.trim();
    text.value = '';
    if (words) void ask('POST', '/api/items/' + id + '/comments', { by: 'the workshop', text: words }).then(() => draw());
  };
  const about = make('small', {});
  const comments = make('ul', {});
  const whole = make('article', { id },
    make('div', { className: 'line' }, make('strong', { textContent: id }), title, state, make('button', { textContent: 'Save', onclick: save })),
    about, comments,
    make('div', { className: 'line' }, text, make('button', { textContent: 'Comment', onclick: say })));
  return { whole, title, state, about, comments, said };
}
/** A field follows what is stored, but not while somebody is at it, and not over what they wrote and did not save. */
function follow(on, name, field, value) {
  const own = on.said[name] !== undefined && field.value !== on.said[name];
  if (!own && document.activeElement !== field) field.value = on.said[name] = value;
}
async function draw() {
  const { items } = await ask('GET', '/api/items');
  for (const { item, comments } of await Promise.all(items.map((i) => ask('GET', '/api/items/' + i.id)))) {
    const on = drawn.get(item.id) ?? card(item.id);
    if (!drawn.has(item.id)) document.getElementById('items').prepend(on.whole);
    drawn.set(item.id, on);
    follow(on, 'title', on.title, item.title);
    follow(on, 'state', on.state, item.state);
    on.about.textContent = item.text;
    on.comments.replaceChildren(...comments.map((c) => make('li', { textContent: c.by + ': ' + c.text })));
  }
}
document.querySelector('form.new').onsubmit = async (event) => {
  event.preventDefault();
  await ask('POST', '/api/items', { title: event.target.title.value });
  event.target.reset();
  void draw();
};
void draw();
setInterval(() => void draw().catch(() => undefined), 1500);
`;

if (process.argv[1] && import.meta.url === pathToFileURL(process.argv[1]).href) {
  const given = (name, otherwise) => {
    const at = process.argv.indexOf(`--${name}`);
    return at > 0 ? process.argv[at + 1] : otherwise;
  };
  const { url } = await startTracker({
    port: Number(given('port', '4191')),
    file: given('file', join('.data', 'tracker.json')),
    hook: given('hook', 'http://127.0.0.1:4180/api/trackers/larkfell/hook'),
  });
  console.log(`tracker ${url}`);
}
