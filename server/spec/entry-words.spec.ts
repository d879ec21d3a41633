import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { entrySentence } from '@core/base';
import { root } from './support';

/** What the server enters into the ledger, by its source: actions that are written as they are. */
function actions(): string[] {
  const folder = join(root, 'server', 'src');
  const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((name) => name.endsWith('.ts'));
  const found = files.flatMap((name) =>
    [...readFileSync(join(folder, name), 'utf8').matchAll(/\baction: '([^']{1,80})'/g)].map(([, action]) => action),
  );
  return [...new Set(found)].sort();
}

describe('what is entered into the ledger', () => {
  it('has a sentence of its own, each thing that is done', () => {
    const all = actions();
    expect(all.length).toBeGreaterThan(90);
    const bare = all.filter((action) => entrySentence({ action, kind: '', key: '', before: null, after: null }).lead === `${action}:`);
    expect(bare).toEqual([]);
  });
});
