import { deflateSync, crc32 } from 'node:zlib';
import type { CaseContent, CaseRow, CaseStep } from '../../core/src/design';

export interface DemoCase {
  readonly key: string;
  readonly verifies: readonly string[];
  readonly content: CaseContent;
}

/** Reads the cases as people read them; the rig's own commands are left to the rig. */
export function readCases(text: string): DemoCase[] {
  return text
    .split(/^case /m)
    .slice(1)
    .map((block) => {
      const [key, ...lines] = block.split('\n');
      const field = (name: string): string => lines.find((line) => line.startsWith(`${name} `))?.slice(name.length + 1) ?? '';
      const steps: CaseStep[] = [];
      for (const line of lines) {
        if (line.startsWith('do ')) steps.push({ action: line.slice(3), expected: '' });
        else if (line.startsWith('expect ')) steps.push({ action: steps.pop()?.action ?? '', expected: line.slice(7) });
      }
      const rows = lines
        .filter((line) => line.startsWith('row '))
        .map((line): CaseRow => {
          const [name, ...values] = line.slice(4).split(' ');
          return { name, values: Object.fromEntries(values.map((value) => value.split('='))) as Record<string, string> };
        });
      const content: CaseContent = {
        title: field('title'),
        objective: field('about'),
        preconditions: field('before'),
        steps,
        plannedMinutes: Number(field('minutes')),
        ...(rows.length ? { rows } : {}),
      };
      return { key: key.trim(), verifies: field('verifies').split(' ').filter(Boolean), content };
    });
}

/** A made-up oscilloscope picture: two traces on a grid, as a PNG. */
function scopePicture(width = 480, height = 240): Buffer {
  const rows = Buffer.alloc((width * 3 + 1) * height, 0);
  const put = (x: number, y: number, r: number, g: number, b: number): void => {
    const at = y * (width * 3 + 1) + 1 + x * 3;
    rows[at] = r;
    rows[at + 1] = g;
    rows[at + 2] = b;
  };
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      put(x, y, ...((x % 48 === 0 || y % 48 === 0 ? [52, 66, 82] : [24, 34, 46]) as [number, number, number]));
  for (let x = 0; x < width; x++) {
    const level = x < 180 ? 60 : Math.round(60 + 120 * (1 - Math.exp(-(x - 180) / 40)));
    const other = Math.round(150 - 40 * Math.sin(x / 30) * (x < 260 ? 1 : 0.15));
    for (const d of [0, 1]) {
      put(x, Math.min(height - 1, level + d), 126, 200, 200);
      put(x, Math.min(height - 1, other + d), 224, 176, 96);
    }
  }
  const chunk = (type: string, data: Buffer): Buffer => {
    const body = Buffer.concat([Buffer.from(type, 'latin1'), data]);
    const length = Buffer.alloc(4);
    length.writeUInt32BE(data.length);
    const sum = Buffer.alloc(4);
    sum.writeUInt32BE(crc32(body) >>> 0);
    return Buffer.concat([length, body, sum]);
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(width, 0);
  head.writeUInt32BE(height, 4);
  head.set([8, 2, 0, 0, 0], 8);
  return Buffer.concat([
    Buffer.from([137, 80, 78, 71, 13, 10, 26, 10]),
    chunk('IHDR', head),
    chunk('IDAT', deflateSync(rows)),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

/** What is made to happen with a case on the build that is being proved. Everything else passes and is reviewed. */
export type Fate =
  'reviewed' | 'performed' | 'recorded' | 'planned' | 'onBench' | 'failed' | 'blocked' | 'deviationAccepted' | 'deviationOpen' | 'leftOut';

export const fates: Readonly<Record<string, Fate>> = {
  'C-012': 'planned',
  'C-024': 'planned',
  'C-025': 'planned',
  'C-018': 'failed',
  'C-013': 'failed',
  'C-019': 'blocked',
  'C-023': 'deviationAccepted',
  'C-034': 'deviationOpen',
  'C-021': 'performed',
  'C-028': 'performed',
  'C-029': 'performed',
  'C-036': 'recorded',
  'C-016': 'onBench',
  'C-037': 'planned',
  'C-039': 'leftOut',
};
/** Requirements that stay unapproved, and how far they got. */
export const unapproved: Readonly<Record<string, 'draft' | 'review'>> = { 'BRK-026': 'draft', 'SYS-015': 'review', 'BRK-032': 'draft' };
export const draftCases: ReadonlySet<string> = new Set(['C-033']);
/** Cases run in the cold chamber, by the second tester. */
export const coldCases: ReadonlySet<string> = new Set(['C-010', 'C-018', 'C-019', 'C-021', 'C-022', 'C-030', 'C-043']);

/** The screen of the oscilloscope as a case's evidence. */
export const scopePictureOf = (caseKey: string): { name: string; mime: string; bytes: Buffer } => ({
  name: caseKey === 'C-018' ? 'scope-ch-b.png' : 'scope-relay.png',
  mime: 'image/png',
  bytes: scopePicture(),
});
