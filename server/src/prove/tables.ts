import type { Knot, RecordRef } from '@core/base';
import type { BoardTotals, CodeSummary, KnotState, NextAction } from '@core/prove';
import { char, index, int, mysqlTable, primaryKey, varchar } from 'drizzle-orm/mysql-core';
import { builds, jsonText, mediumText, moment, records, ref, searchText } from '../base';

/** A reason as it is stored and shown. */
export interface StoredReason {
  readonly code: string;
  readonly state: KnotState;
  readonly words: string;
  readonly records: readonly RecordRef[];
  readonly action: NextAction;
}

/** How far what is judged of a build has come: true for ledger number `seq`. Its row is the lock of whoever brings it along. */
export const projections = mysqlTable(
  'projections',
  {
    buildId: ref('build_id')
      .primaryKey()
      .references(() => builds.id),
    projectId: ref('project_id').notNull(),
    seq: ref('seq').notNull(),
    /** Made by which rules: other ones make all of it afresh. */
    version: int('version').notNull(),
    /** Asked for since; a build that nobody asks for is not brought along. */
    wantedAt: moment('wanted_at').notNull(),
    totals: jsonText<BoardTotals | null>('totals'),
  },
  (t) => [index('projections_project').on(t.projectId, t.wantedAt)],
);

/** The cord of each requirement on each build, with what boards sort and search by. */
export const cords = mysqlTable(
  'cords',
  {
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    requirementId: ref('requirement_id')
      .notNull()
      .references(() => records.id),
    key: varchar('record_key', { length: 60 }).notNull(),
    keyPrefix: varchar('key_prefix', { length: 60 }).notNull(),
    keyNumber: int('key_number').notNull(),
    title: varchar('title', { length: 300 }).notNull(),
    level: varchar('level', { length: 40 }).notNull(),
    /** One letter a knot: S W B U (suspect) - (not reached) N (not required). */
    states: char('states', { length: 5 }).notNull(),
    below: char('below', { length: 5 }),
    /** 0 to 4: the knot of the first break; 9 where it is proved. */
    firstBreak: int('first_break').notNull(),
    /** The letter of the first break's state; S where it is proved. */
    state: char('state', { length: 1 }).notNull(),
    /** Short words of each knot's worst reason, for the totals. */
    short: jsonText<Readonly<Record<Knot, string>>>('short_words').notNull(),
    reasons: jsonText<Readonly<Record<Knot, readonly StoredReason[]>>>('reasons').notNull(),
    code: jsonText<CodeSummary | null>('code'),
    words: searchText('words').notNull(),
  },
  (t) => [
    primaryKey({ columns: [t.buildId, t.requirementId] }),
    index('cords_key').on(t.buildId, t.keyPrefix, t.keyNumber, t.requirementId),
    index('cords_title').on(t.buildId, t.title, t.keyPrefix, t.keyNumber, t.requirementId),
    index('cords_level').on(t.buildId, t.level, t.keyPrefix, t.keyNumber, t.requirementId),
    index('cords_break').on(t.buildId, t.firstBreak, t.keyPrefix, t.keyNumber, t.requirementId),
    index('cords_state').on(t.buildId, t.state, t.keyPrefix, t.keyNumber, t.requirementId),
  ],
);

/** What each cord was until it became another one: with `cords`, the board as of any number that it was judged for. */
export const cordHistory = mysqlTable(
  'cord_history',
  {
    buildId: ref('build_id')
      .notNull()
      .references(() => builds.id),
    requirementId: ref('requirement_id')
      .notNull()
      .references(() => records.id),
    /** The ledger number from which on it is another one. */
    seq: ref('seq').notNull(),
    /** As in `cords`; null where the requirement was no more. */
    cord: jsonText<CordThen | null>('cord'),
  },
  (t) => [primaryKey({ columns: [t.buildId, t.requirementId, t.seq] }), index('cord_history_seq').on(t.buildId, t.seq)],
);

/** What a cord said at some time: all that a board shows of it. */
export interface CordThen {
  readonly key: string;
  readonly title: string;
  readonly level: string;
  readonly states: string;
  readonly below: string | null;
  readonly firstBreak: number;
  readonly short: Readonly<Record<Knot, string>>;
  readonly reasons: Readonly<Record<Knot, readonly StoredReason[]>>;
}

/** Ledger numbers for which a build was judged. */
export const judgedAt = mysqlTable('judged_at', { buildId: ref('build_id').notNull(), seq: ref('seq').notNull() }, (t) => [
  primaryKey({ columns: [t.buildId, t.seq] }),
]);

/** Keys that sign packs. The private part is kept under a secret that is not in the database. */
export const packKeys = mysqlTable('pack_keys', {
  id: int('id').primaryKey(),
  publicKey: mediumText('public_key').notNull(),
  privateKey: mediumText('private_key').notNull(),
  madeAt: moment('made_at').notNull(),
  /** Of the public key's text, by the key before; base64. */
  signature: varchar('signature', { length: 200 }),
});
