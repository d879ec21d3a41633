import type { Board, BoardRow, CordDetail } from '@contract/prove';
import { compareKeys, knots, perKnot, type Knot } from '@core/base';
import {
  boardTotals,
  inFilter,
  judgeCords,
  projectCord,
  reasonWords,
  type BoardFilter,
  type BoardTotals,
  type Cord,
  type KnotState,
} from '@core/prove';
import { newestBuilds, Refusal, type Db } from '../base';
import { buildFacts, type BuildFacts } from '../measure';

interface Judged {
  readonly cords: readonly Cord[];
  readonly byKey: ReadonlyMap<string, Cord>;
  readonly totals: BoardTotals;
  readonly rail: Record<Knot, KnotState>;
  /** Row objects for the wire, made once. */
  readonly rows: ReadonlyMap<string, BoardRow>;
  readonly sorted: Map<string, readonly Cord[]>;
}

/** Judged once for the facts that it comes from. */
const judged = new WeakMap<BuildFacts, Judged>();

export async function judgedBuild(db: Db, projectId: number, build: string, head?: number): Promise<{ facts: BuildFacts; judged: Judged }> {
  const facts = await buildFacts(db, projectId, build, head);
  const known = judged.get(facts);
  if (known) return { facts, judged: known };
  const cords = [...judgeCords(facts.input)].sort((a, b) => compareKeys(a.key, b.key));
  const totals = boardTotals(cords);
  const fresh: Judged = {
    cords,
    byKey: new Map(cords.map((cord) => [cord.key, cord])),
    totals,
    rail: projectCord(totals),
    rows: new Map(cords.map((cord) => [cord.key, boardRow(cord)])),
    sorted: new Map(),
  };
  judged.set(facts, fresh);
  return { facts, judged: fresh };
}

function boardRow(cord: Cord): BoardRow {
  const { key, title, level, firstBreak, below } = cord;
  const first = firstBreak ? cord.knots[firstBreak] : undefined;
  const reason = first?.reasons[0];
  return {
    key,
    title,
    level,
    below,
    states: perKnot((knot) => cord.knots[knot].state),
    break:
      firstBreak && first && reason
        ? { state: first.state, knot: firstBreak, words: reasonWords(reason), records: [...reason.records], action: reason.action }
        : null,
  };
}

/** Judges the newest builds before anybody asks, so that the first board of the day is there at once. */
export async function warmBoards(db: Db): Promise<void> {
  for (const { projectId, build } of await newestBuilds(db, 4)) await judgedBuild(db, projectId, build);
}

export interface BoardQuery {
  readonly build: string;
  readonly filter: BoardFilter;
  readonly q: string;
  readonly sort: 'key' | 'title' | 'level' | 'break';
  readonly offset: number;
  readonly limit: number;
}

const orders: Record<BoardQuery['sort'], (a: Cord, b: Cord) => number> = {
  key: () => 0,
  title: (a, b) => (a.title < b.title ? -1 : 1),
  level: (a, b) => (a.level < b.level ? 1 : a.level > b.level ? -1 : 0),
  break: (a, b) => (a.firstBreak ? knots.indexOf(a.firstBreak) : 9) - (b.firstBreak ? knots.indexOf(b.firstBreak) : 9),
};

/** The rows that a filter, a text and an order choose; kept beside the judged cords, so that paging through them is a slice. */
function chosenCords(fresh: Judged, query: Pick<BoardQuery, 'filter' | 'q' | 'sort'>): readonly Cord[] {
  const words = query.q.toLowerCase().split(/\s+/).filter(Boolean);
  const id = `${query.filter}\n${query.sort}\n${words.join(' ')}`;
  const known = fresh.sorted.get(id);
  if (known) return known;
  const chosen = fresh.cords.filter((cord) => {
    if (!inFilter(cord, query.filter)) return false;
    if (!words.length) return true;
    const text = `${cord.key} ${cord.title} ${cord.level} ${fresh.rows.get(cord.key)?.break?.words ?? 'proved'}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
  // Array.prototype.sort is stable: within the same rank the order by key stays.
  const list = query.sort === 'key' ? chosen : [...chosen].sort(orders[query.sort]);
  if (fresh.sorted.size > 50) fresh.sorted.clear();
  fresh.sorted.set(id, list);
  return list;
}

export async function getBoard(db: Db, projectId: number, query: BoardQuery, head?: number): Promise<Board> {
  const { facts, judged: fresh } = await judgedBuild(db, projectId, query.build, head);
  const list = chosenCords(fresh, query);
  const rows = list.slice(query.offset, query.offset + query.limit).map((cord) => fresh.rows.get(cord.key) as BoardRow);
  return { build: query.build, seq: facts.seq, rows, total: list.length, totals: fresh.totals, rail: fresh.rail };
}

export async function getCord(db: Db, projectId: number, build: string, key: string): Promise<CordDetail> {
  const { judged: fresh } = await judgedBuild(db, projectId, build);
  const cord = fresh.byKey.get(key);
  const row = fresh.rows.get(key);
  if (!cord || !row) throw new Refusal('notFound', { detail: `There is no requirement ${key}.` });
  return {
    ...row,
    reasons: perKnot((knot) =>
      cord.knots[knot].reasons.map((reason) => ({
        state: cord.knots[knot].state,
        words: reasonWords(reason),
        records: [...reason.records],
        action: reason.action,
      })),
    ),
  };
}
