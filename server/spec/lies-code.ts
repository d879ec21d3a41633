import * as run from '@contract/run';
import { zipSync } from 'fflate';
import type { Lies } from './lies';
import { password } from './support';

/** The honest ways to get what lies about measured code are about: one source file with one function of two branches. */
export function codeLies({ p, next, requirement, aCase, planned, record, signBoth, cord }: Lies) {
  const source = (key: string, other = ''): string =>
    `/* @req ${key}${other ? `, ${other}` : ''} */\nint f(int a)\n{\n  if (a)\n    return 1;\n  return 0;\n}\n/* done */\n`;
  const info = (hits: string, test = ''): Buffer => Buffer.from(`TN:${test}\nSF:/b/src/f.c\nFN:2,f\nFNDA:1,f\n${hits}end_of_record\n`);
  const all = 'DA:2,1\nDA:4,1\nDA:5,1\nDA:6,1\nBRDA:4,0,0,1\nBRDA:4,0,1,1\n';
  const half = 'DA:2,1\nDA:4,1\nDA:5,0\nDA:6,1\nBRDA:4,0,0,1\nBRDA:4,0,1,0\n';
  const load = (build: string, name: string, bytes: Buffer, query = '') =>
    p.upload('tester', `/builds/${build}/coverage${query}`, [{ name, bytes }]);
  const sources = (build: string, text: string, fields: Record<string, string> = {}) =>
    p.upload(
      'author',
      `/builds/${build}/sources`,
      [{ name: 's.zip', bytes: Buffer.from(zipSync({ 'src/f.c': Buffer.from(text) })) }],
      fields,
    );
  /** What exchanging sources under signed runs asks for. */
  const signed = { reason: 'They are newer.', password };
  /** A requirement with code, a case, and a signed pass on a build of its own. */
  const measured = async (level = 'SIL 2') => {
    const build = `6.${next()}`;
    await p.call('author', run.addBuild, { name: build, description: '' });
    const r = await requirement({ notInCode: false, notInCodeRationale: '', level });
    const c = await aCase([r]);
    const key = await planned(c, { build });
    await sources(build, source(r));
    await record(key);
    await signBoth(key);
    return { build, r, c, key };
  };
  const knot = async (r: string, build: string): Promise<string> => (await cord(r, build))['measure'];
  return { source, info, all, half, load, sources, signed, measured, knot };
}

export type CodeLies = ReturnType<typeof codeLies>;
