import { createAction, createFeature, createReducer, on, props } from '@ngrx/store';
import * as contract from '@contract/base';
import type { Attachment, Comment, LedgerRow, PresentPerson, RecordSignature, Revision, TraceRow } from '@contract/base';
import { listConnections, type Connection } from '@contract/prove';
import { getBaseline, listProposals, type BaselineDetail, type Proposal } from '@contract/specify';
import type { VersionedKind } from '@core/base';
import { command } from '../command';

export const recordCommands = {
  getRecord: command('[Record] get', contract.getRecord),
  sign: command('[Record] sign', contract.signRecord),
  setOwn: command('[Record] set own fields', contract.setOwnFields),
  history: command('[Record] history', contract.recordHistory),
  listComments: command('[Record] list comments', contract.listComments),
  addComment: command('[Record] comment', contract.addComment),
  resolveComment: command('[Record] resolve comment', contract.resolveComment),
  listFiles: command('[Record] list files', contract.listAttachments),
  addFiles: command('[Record] add files', contract.addAttachments),
  removeFile: command('[Record] remove file', contract.removeAttachment),
  addTrace: command('[Record] add trace', contract.addTrace),
  confirmTrace: command('[Record] confirm trace', contract.confirmTrace),
  removeTrace: command('[Record] remove trace', contract.removeTrace),
  activity: command('[Record] activity', contract.listLedger),
  connections: command('[Record] connections', listConnections),
  likely: command('[Record] likely traces', listProposals),
  baseline: command('[Record] the baseline that it is for', getBaseline),
  follow: command('[Record] follow', contract.setFollowing),
  presence: command('[Record] presence', contract.setPresence),
};

/** Another record was opened: what is shown of the one before is not this one's. */
export const recordOpened = createAction('[Record] opened', props<{ key: string }>());

export interface RecordState {
  readonly key: string;
  /** What it is and its state, once it was read. */
  readonly kind: VersionedKind | null;
  readonly state: string;
  readonly comments: readonly Comment[];
  readonly files: readonly Attachment[];
  readonly history: readonly Revision[];
  readonly activity: readonly LedgerRow[];
  readonly present: readonly PresentPerson[];
  readonly following: boolean;
  /** Who signed it, and what a signature of its present revision is bound to; null where it has none. */
  readonly signatures: readonly RecordSignature[];
  readonly hash: string | null;
  /** Every trace at it, as it was read last. */
  readonly traces: readonly TraceRow[];
  /** The baseline that it is for, where it names one. */
  readonly baseline: BaselineDetail | null;
  /** What is likely to be traced to a record, by its key and the kind of trace. */
  readonly likely: Readonly<Record<string, readonly Proposal[]>>;
  /** Null until they were read. */
  readonly connections: { readonly connections: readonly Connection[]; readonly more: boolean } | null;
}
const first: RecordState = {
  key: '',
  kind: null,
  state: '',
  comments: [],
  files: [],
  history: [],
  activity: [],
  present: [],
  following: false,
  signatures: [],
  hash: null,
  traces: [],
  baseline: null,
  likely: {},
  connections: null,
};

const c = recordCommands;
/** What every record has besides its own content, for the one that is open. Answers about another record are not its. */
export const recordFeature = createFeature({
  name: 'record',
  reducer: createReducer(
    first,
    on(recordOpened, (state, { key }): RecordState => (state.key === key ? state : { ...first, key })),
    on(c.getRecord.done, (state, { input, answer }) => {
      const { following, traces, signatures, hash, record } = answer;
      return mine(state, input, { following, traces, signatures, hash, kind: record.kind, state: record.state });
    }),
    on(c.sign.done, (state, { input, answer }) => mine(state, input, { signatures: answer.signatures })),
    on(c.baseline.done, (state, { answer }): RecordState => ({ ...state, baseline: answer })),
    on(c.likely.done, (state, { input, answer }): RecordState => ({
      ...state,
      likely: { ...state.likely, [`${input.of} ${input.kind}`]: answer.proposals },
    })),
    // What was linked is not told again.
    on(c.addTrace.done, (state, { input: made }): RecordState => ({
      ...state,
      likely: Object.fromEntries(
        Object.entries(state.likely).map(([of, list]) => [of, list.filter(({ from, to }) => from.key !== made.from || to.key !== made.to)]),
      ),
    })),
    on(c.history.done, (state, { input, answer }) => mine(state, input, { history: answer })),
    on(c.listComments.done, (state, { input, answer }) => mine(state, input, { comments: answer })),
    on(c.addComment.done, (state, { input, answer }) => mine(state, input, { comments: [...state.comments, answer] })),
    on(c.resolveComment.done, (state, { input, answer }) =>
      mine(state, input, { comments: state.comments.map((comment) => (comment.id === answer.id ? answer : comment)) }),
    ),
    on(c.connections.done, (state, { input, answer }) => mine(state, input, { connections: answer })),
    on(c.listFiles.done, c.addFiles.done, (state, { input, answer }) => mine(state, input, { files: answer })),
    on(c.removeFile.done, (state, { input }) => mine(state, input, { files: state.files.filter((file) => file.id !== input.id) })),
    on(c.activity.done, (state, { input, answer }) => (input.q === state.key ? { ...state, activity: answer.entries } : state)),
    on(c.follow.done, (state, { input, answer }) => mine(state, input, { following: answer.following })),
    on(c.presence.done, (state, { input, answer }) => mine(state, input, { present: answer })),
  ),
});

const mine = (state: RecordState, { key }: { key: string }, change: Partial<RecordState>): RecordState =>
  key === state.key ? { ...state, ...change } : state;
