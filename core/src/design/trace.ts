/** A trace between two records, with the revisions at which somebody last said that it holds. */
export interface Trace<Id = string> {
  readonly from: Id;
  readonly to: Id;
  readonly fromRevision: number;
  readonly toRevision: number;
}

/** Which ends were revised since the trace was confirmed; a trace with any is suspect. */
export function suspectEnds(trace: Trace<unknown>, fromRevision: number, toRevision: number): ('from' | 'to')[] {
  const ends: ('from' | 'to')[] = [];
  if (fromRevision > trace.fromRevision) ends.push('from');
  if (toRevision > trace.toRevision) ends.push('to');
  return ends;
}
