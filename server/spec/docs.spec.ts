import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import type { Endpoint } from '@contract/base';
import { root } from './support';

const rooms = { Base: base, Specify: specify, Design: design, Run: run, Measure: measure, Prove: prove };
const isEndpoint = (value: unknown): value is Endpoint =>
  typeof value === 'object' && value !== null && 'method' in value && 'may' in value;

const mayWords: Record<string, string> = {
  anyone: 'anybody',
  halfSignedIn: 'signed in, also while the second factor is still to be shown',
  settingPassword: 'signed in, also with a one-time code',
  signedIn: 'signed in',
  installation: 'administrator of the installation',
  member: 'any member',
};
const words = ({ may }: Endpoint): string => (typeof may === 'string' ? mayWords[may] : may.join(', '));

function page(): string {
  const table = Object.entries(rooms).map(([name, room]) => {
    const rows = Object.values(room)
      .filter(isEndpoint)
      .sort((a, b) => (a.path === b.path ? a.method.localeCompare(b.method) : a.path < b.path ? -1 : 1))
      .map((e) => `| \`${e.method} ${e.path}\` | ${words(e)} | ${e.summary} |`);
    return `## ${name}\n\n| route | who may | what it does |\n|---|---|---|\n${rows.join('\n')}\n`;
  });
  return `# Routes, and who may call them\n\nMade from the contract; \`CORD_WRITE_DOCS=1 npm test -- server\` writes it anew. What a service asks for beyond that (a reviewer who is not the tester, say) it\nasks again inside its transaction.\n\n${table.join('\n')}`;
}

describe('the table of routes in the documentation', () => {
  it('is what the code says', () => {
    const file = join(root, 'docs/routes.md');
    if (process.env['CORD_WRITE_DOCS']) writeFileSync(file, page());
    expect(readFileSync(file, 'utf8')).toBe(page());
  });
});
