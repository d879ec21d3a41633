import { listCords, type BoardRow } from '@contract/prove';
import { knots, type Knot } from '@core/base';
import { knotStates, knotWords } from '@core/prove';
import { actionLink, type FilterField, type Link, type ListKind } from '../base';

/** As states of a knot are asked for in a filter, and what they say. */
const states = [...knotStates];
const breaks = [...knots, 'none'];

const knotFields: readonly FilterField[] = knots.map((knot: Knot) => ({
  name: knot,
  words: `State at ${knotWords[knot]}`,
  type: 'text',
  values: states,
}));

const broken = (row: BoardRow): string => row.break?.words ?? 'Proved';

/** How the cords of a build are listed: the home of a project. */
export const cordKind = (project: () => string): ListKind<BoardRow> => ({
  name: 'cords',
  endpoint: listCords,
  noun: ['cord', 'cords'],
  changedBy: [],
  judged: 'keys',
  fields: [
    { name: 'key', words: 'Key', type: 'text' },
    { name: 'title', words: 'Title', type: 'text' },
    { name: 'break', words: 'Knot of the first break', type: 'text', values: breaks },
    { name: 'cord', words: 'State of the cord: that of its first break', type: 'text', values: states.slice(0, 4) },
    ...knotFields,
  ],
  views: [
    { name: 'all', words: 'All' },
    ...(['broken', 'waiting', 'suspect'] as const).map((state) => ({
      name: state,
      words: state.charAt(0).toUpperCase() + state.slice(1),
      filter: { field: 'cord', is: [state] },
    })),
    { name: 'proved', words: 'Proved', filter: { field: 'break', is: ['none'] } },
  ],
  sorts: [
    ['key', 'Key'],
    ['title', 'Requirement'],
    ['-level', 'Level'],
    ['break', 'First break'],
  ],
  columns: [
    { name: 'key', words: 'Key', width: 96, sort: 'key', usual: true, show: (r) => r.key },
    { name: 'title', words: 'Requirement', width: 200, sort: 'title', usual: true, grows: true, show: (r) => r.title },
    { name: 'level', words: 'Level', width: 74, sort: 'level', usual: true, show: (r) => r.level || 'no level' },
    {
      name: 'cord',
      words: 'Cord',
      width: 366,
      usual: true,
      show: (r) => knots.map((knot) => `${knotWords[knot]}: ${r.states[knot]}`).join(', '),
    },
    {
      name: 'break',
      words: 'First break',
      width: 250,
      sort: 'break',
      usual: true,
      grows: true,
      show: broken,
      to: (r) => nextOf(project(), r),
    },
  ],
  startsAt: 'break',
  tableRow: 52,
  tableFirst: true,
  rowHeight: 62,
  exported: 'cords',
});

/** Where the next action of a cord is done; undefined where it is proved. */
export const nextOf = (project: string, { break: first }: BoardRow): Link | undefined =>
  first ? actionLink(project, first.action) : undefined;
