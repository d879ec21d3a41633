/** A record in a thread, as it is shown in a cell. */
export interface ThreadEnd {
  readonly key: string;
  readonly title: string;
  readonly state: string;
  /** Is the trace that leads here in doubt? */
  readonly suspect: boolean;
}

/** What a requirement hangs together with, up and down. Nothing where there is nothing. */
export interface Thread {
  readonly key: string;
  readonly title: string;
  readonly state: string;
  readonly level: string;
  /** Needs it a parent, if it has none? */
  readonly needsParent: boolean;
  readonly parents: readonly ThreadEnd[];
  readonly children: readonly ThreadEnd[];
  readonly cases: readonly ThreadEnd[];
  /** Results on the build: the run with its verdict, or with how far it is. */
  readonly runs: readonly ThreadEnd[];
  /** Functions of the build that are traced to it. */
  readonly functions: readonly string[];
  readonly notInCode: boolean;
  readonly problems: readonly ThreadEnd[];
}

export const threadColumns = ['parents', 'children', 'cases', 'runs', 'functions', 'problems'] as const;
export type ThreadColumn = (typeof threadColumns)[number];

/**
 * Why a cell of a thread is empty where it should not be; nothing where it is as it should be. What is below is only missed where other
 * requirements of the same specification have something below; code where none names it.
 */
export function threadGap(thread: Thread, column: ThreadColumn): string {
  switch (column) {
    case 'parents':
      return thread.needsParent && !thread.parents.length ? 'no parent' : '';
    case 'cases':
      return thread.cases.length ? '' : 'no case';
    case 'runs':
      return !thread.cases.length || thread.runs.length ? '' : 'not run';
    case 'functions':
      return thread.notInCode || thread.functions.length || thread.children.length ? '' : 'no code';
    case 'children':
    case 'problems':
      return '';
  }
}

/** A thread as cells of a table: keys with what is to be known of them, gaps named. */
export function threadCells(thread: Thread): string[] {
  const ends = (list: readonly ThreadEnd[], states: boolean): string =>
    list.map(({ key, state, suspect }) => [key, states ? state : '', suspect ? 'suspect' : ''].filter(Boolean).join(' ')).join('; ');
  const said: Readonly<Record<ThreadColumn, string>> = {
    parents: ends(thread.parents, false),
    children: ends(thread.children, false),
    cases: ends(thread.cases, false),
    runs: ends(thread.runs, true),
    functions: thread.functions.join('; '),
    problems: ends(thread.problems, true),
  };
  return [
    thread.key,
    thread.title,
    thread.level,
    thread.state,
    ...threadColumns.map((column) => said[column] || threadGap(thread, column)),
  ];
}
