import type { NewsKind } from '@core/base';
import * as z from 'zod';
import { policiesSchema, roleSchema } from './policies';
import { done, endpoint, inProject, reasonText, shortText } from './endpoint';
import { passwordLeast, passwordMost } from './password';

const login = z
  .string()
  .trim()
  .regex(/^[a-z][a-z0-9.-]{1,40}$/, 'Small letters, digits, dots and hyphens, beginning with a letter.');
const password = z.string().min(passwordLeast, `At least ${passwordLeast} characters.`).max(passwordMost);
const slug = z.string().regex(/^[a-z][a-z0-9-]{1,40}$/, 'Small letters, digits and hyphens, beginning with a letter.');

export const personSchema = z.object({
  login: z.string(),
  printedName: z.string(),
  installation: z.boolean(),
  disabled: z.boolean(),
});
export type Person = z.output<typeof personSchema>;

/** An authenticator application, a passkey, or the codes kept on paper for the day on which those are lost. */
const factorKind = z.enum(['totp', 'passkey', 'recovery']);

export const sessionSchema = z.object({
  person: personSchema,
  projects: z.array(z.object({ slug: z.string(), name: z.string(), roles: z.array(roleSchema) })),
  /** Signed in with a one-time code: the person's own password has to be set before anything else. */
  setPassword: z.boolean(),
  /** The password was right, and one of these is still to be shown; null where nothing is. */
  factor: z.array(factorKind).nullable(),
  /** Was the session opened with a second factor? */
  factorShown: z.boolean(),
  /** Wrong passwords that somebody tried for this account within the last day. */
  tried: z.number(),
});
export type Session = z.output<typeof sessionSchema>;

export const getSetup = endpoint('GET', '/setup', {
  summary: 'Does the installation still need its first administrator?',
  may: 'anyone',
  answer: z.object({ needed: z.boolean() }),
});
export const setUp = endpoint('POST', '/setup', {
  summary: 'Make the first administrator with the one-time code printed at start',
  may: 'anyone',
  body: z.object({ code: z.string().max(60), login, printedName: shortText.trim().min(1), password }),
  answer: sessionSchema,
});
export const signIn = endpoint('POST', '/session', {
  summary: 'Sign in',
  may: 'anyone',
  body: z.object({ login: z.string().max(60), password: z.string().max(200) }),
  answer: sessionSchema,
});
/** What a browser and its authenticator say to each other; the server's library reads it. */
const passkeyMessage = z.record(z.string().max(60), z.unknown());
export const askPasskey = endpoint('POST', '/session/factor/options', {
  summary: 'What the browser needs to show a passkey, while signing in',
  may: 'halfSignedIn',
  answer: passkeyMessage,
});
export const showFactor = endpoint('POST', '/session/factor', {
  summary: 'Show the second factor, while signing in: a code of an authenticator application, a passkey, or a recovery code',
  may: 'halfSignedIn',
  body: z.object({ code: z.string().max(20).optional(), passkey: passkeyMessage.optional() }),
  answer: sessionSchema,
});
export const factorSchema = z.object({
  id: z.number(),
  kind: factorKind,
  name: z.string(),
  /** How many recovery codes are left; null for what is not used up. */
  left: z.number().nullable(),
  addedAt: z.string(),
  usedAt: z.string().nullable(),
});
export type Factor = z.output<typeof factorSchema>;
const factorName = z.string().trim().min(1, 'Give it a name that you know it by.').max(60);
const withPassword = z.object({ password: z.string().max(200) });
export const listFactors = endpoint('GET', '/session/factors', {
  summary: 'One’s own second factors',
  may: 'signedIn',
  answer: z.array(factorSchema),
});
export const beginTotp = endpoint('POST', '/session/factors/totp', {
  summary: 'Begin with an authenticator application: its secret, shown once; it counts when a code of it was given',
  may: 'signedIn',
  body: withPassword,
  answer: z.object({ id: z.number(), secret: z.string(), uri: z.string() }),
});
export const confirmTotp = endpoint('POST', '/session/factors/totp/:id', {
  summary: 'Give the first code of an authenticator application',
  may: 'signedIn',
  params: z.object({ id: z.coerce.number().int() }),
  body: z.object({ code: z.string().max(20), name: factorName }),
  answer: z.array(factorSchema),
});
export const beginPasskey = endpoint('POST', '/session/factors/passkey/options', {
  summary: 'What the browser needs to make a passkey',
  may: 'signedIn',
  body: withPassword,
  answer: passkeyMessage,
});
export const addPasskey = endpoint('POST', '/session/factors/passkey', {
  summary: 'Store the passkey that the browser made',
  may: 'signedIn',
  body: z.object({ name: factorName, response: passkeyMessage }),
  answer: z.array(factorSchema),
});
export const makeRecoveryCodes = endpoint('POST', '/session/factors/recovery', {
  summary: 'Ten recovery codes, shown once, each good once in place of the second factor; those made before count no longer',
  may: 'signedIn',
  body: withPassword,
  answer: z.object({ codes: z.array(z.string()), factors: z.array(factorSchema) }),
});
export const removeFactor = endpoint('POST', '/session/factors/:id/remove', {
  summary: 'Remove one of one’s own second factors',
  may: 'signedIn',
  params: z.object({ id: z.coerce.number().int() }),
  body: withPassword,
  answer: z.array(factorSchema),
});
export const signOut = endpoint('DELETE', '/session', { summary: 'Sign out', may: 'halfSignedIn', answer: done });
export const getSession = endpoint('GET', '/session', {
  summary: 'Who is signed in, and which projects are theirs',
  may: 'halfSignedIn',
  answer: sessionSchema,
});
export const changePassword = endpoint('PUT', '/session/password', {
  summary: 'Change one’s own password; all other sessions end',
  may: 'settingPassword',
  body: z.object({ present: z.string().max(200), password }),
  answer: done,
});
export const mySessionSchema = z.object({
  id: z.string(),
  device: z.string(),
  createdAt: z.string(),
  seenAt: z.string(),
  /** The one that asks. */
  here: z.boolean(),
});
export type MySession = z.output<typeof mySessionSchema>;
export const listSessions = endpoint('GET', '/session/all', {
  summary: 'One’s own sessions, with the device that each was opened on',
  may: 'signedIn',
  answer: z.array(mySessionSchema),
});
export const endSession = endpoint('DELETE', '/session/all/:id', {
  summary: 'End one of one’s own sessions',
  may: 'signedIn',
  params: z.object({ id: z.string().max(64) }),
  answer: z.array(mySessionSchema),
});
export const listPeople = endpoint('GET', '/people', { summary: 'All accounts', may: 'installation', answer: z.array(personSchema) });
export const addPerson = endpoint('POST', '/people', {
  summary: 'Make an account; the answer holds the one-time code with which its person signs in and sets a password',
  may: 'installation',
  body: z.object({ login, printedName: shortText.trim().min(1), installation: z.boolean().default(false) }),
  answer: z.object({ person: personSchema, code: z.string() }),
});
export const changePerson = endpoint('PUT', '/people/:login', {
  summary:
    'Disable or enable an account, rename its person, reset the password to a one-time code, or remove the second factors; each stands in the ledgers of their projects',
  may: 'installation',
  params: z.object({ login: z.string().max(60) }),
  body: z.object({
    disabled: z.boolean().optional(),
    printedName: shortText.trim().min(1).optional(),
    reset: z.literal(true).optional(),
    /** Takes away all second factors: for somebody who lost theirs. */
    dropFactors: z.literal(true).optional(),
  }),
  answer: z.object({ person: personSchema, code: z.string().nullable() }),
});
const installationPolicy = z.object({ administratorsNeedFactor: z.boolean() });
export const getInstallationPolicy = endpoint('GET', '/installation/policy', {
  summary: 'What the installation asks of those who administer',
  may: 'installation',
  answer: installationPolicy,
});
export const setInstallationPolicy = endpoint('PUT', '/installation/policy', {
  summary: 'Set whether whoever administers the installation or a project must have signed in with a second factor',
  may: 'installation',
  body: installationPolicy,
  answer: installationPolicy,
});
export const addProject = endpoint('POST', '/projects', {
  summary: 'Begin a project',
  may: 'installation',
  body: z.object({ slug, name: shortText.trim().min(1), standard: shortText, level: shortText }),
  answer: z.object({ slug: z.string() }),
});

export const profileSchema = z.object({
  standard: z.string(),
  levels: z.array(z.string()),
  targets: z.record(
    z.string(),
    z.object({
      function: z.number().min(0).max(100).optional(),
      line: z.number().min(0).max(100).optional(),
      branch: z.number().min(0).max(100).optional(),
      condition: z.number().min(0).max(100).optional(),
      mcdc: z.number().min(0).max(100).optional(),
      call: z.number().min(0).max(100).optional(),
    }),
  ),
  reviewAt: z.array(z.string()),
  note: z.string(),
  credit: z.object({ childCases: z.boolean(), parentCases: z.boolean(), deviations: z.boolean() }).optional(),
  policies: policiesSchema.optional(),
});
export const buildSchema = z.object({
  name: z.string(),
  description: z.string(),
  createdAt: z.string(),
  /** From then on it is judged as at that moment. */
  closedAt: z.string().nullable(),
});
export type Build = z.output<typeof buildSchema>;
/** Bytes of files that a project holds, and may hold. */
export const storageSchema = z.object({ used: z.number(), allowed: z.number() });
export const projectSchema = z.object({
  slug: z.string(),
  name: z.string(),
  level: z.string(),
  /** Revision of the project's own record: of its profile. */
  revision: z.number(),
  profile: profileSchema,
  builds: z.array(buildSchema),
  members: z.array(z.object({ login: z.string(), printedName: z.string(), roles: z.array(roleSchema) })),
  /** With the bytes that are left of the database’s disk, where they are nearly none. */
  storage: storageSchema.extend({ diskLow: z.number().nullable() }),
  seq: z.number(),
});
export type Project = z.output<typeof projectSchema>;
export const getProject = endpoint('GET', '/projects/:project', {
  summary: 'A project with its builds, people and standard',
  may: 'member',
  params: inProject,
  answer: projectSchema,
});
export const setMember = endpoint('PUT', '/projects/:project/members/:login', {
  summary: 'Give a person roles in the project; an empty list takes all away',
  may: ['administrator'],
  params: inProject.extend({ login: z.string().max(60) }),
  body: z.object({ roles: z.array(roleSchema) }),
  answer: projectSchema,
});
export const allowStorage = endpoint('PUT', '/projects/:project/storage', {
  summary: 'Allow a project so many bytes of files',
  may: 'installation',
  params: inProject,
  body: z.object({
    allowed: z
      .number()
      .int()
      .min(1 << 20, 'At least one MiB.')
      .max(2 ** 50, 'At most 1024 TiB.'),
  }),
  answer: storageSchema,
});
export const setProfile = endpoint('PUT', '/projects/:project/profile', {
  summary: 'Change what the project’s standard and policies ask for: with a reason, signed',
  may: ['administrator'],
  params: inProject,
  body: z.object({ basedOn: z.number().int(), profile: profileSchema, reason: reasonText, password: z.string().max(200) }),
  answer: projectSchema,
});

export const ledgerEntrySchema = z.object({
  seq: z.number(),
  at: z.string(),
  who: z.string(),
  action: z.string(),
  kind: z.string(),
  key: z.string(),
  before: z.unknown(),
  after: z.unknown(),
  previous: z.string(),
  hash: z.string(),
});
export type LedgerRow = z.output<typeof ledgerEntrySchema>;
const ledgerQuery = z.object({
  before: z.coerce.number().int().optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
  kind: z.string().max(40).optional(),
  /** Days, the last one included. */
  from: z.iso.date().optional(),
  to: z.iso.date().optional(),
  who: z.string().max(60).optional(),
  /** Words that all stand in what was done, or in the key of what it was done to. */
  q: z.string().max(100).optional(),
});
const ledgerPage = z.object({
  entries: z.array(ledgerEntrySchema),
  total: z.number(),
  kinds: z.array(z.string()),
  people: z.array(z.string()),
});
export const listLedger = endpoint('GET', '/projects/:project/ledger', {
  summary: 'Ledger entries, newest first, a page at a time',
  may: 'member',
  params: inProject,
  query: ledgerQuery,
  answer: ledgerPage,
});
export const listInstallationLedger = endpoint('GET', '/ledger', {
  summary: 'The installation’s own entries: sign-ins, lock-outs, refused requests, accounts; newest first',
  may: 'installation',
  query: ledgerQuery,
  answer: ledgerPage,
});
export const verifyLedger = endpoint('POST', '/projects/:project/ledger/verification', {
  summary: 'Recompute the whole chain and name the first entry that does not fit',
  may: 'member',
  params: inProject,
  answer: z.object({
    entries: z.number(),
    head: z.string(),
    fault: z.object({ seq: z.number(), fault: z.enum(['gap', 'link', 'hash']) }).optional(),
    /** How many rows were held against it, and the first that are not what it says. */
    rows: z.number(),
    rowFaults: z.array(
      z.object({
        table: z.string(),
        id: z.string(),
        fault: z.enum(['changed', 'removed', 'inserted']),
        seq: z.number().nullable(),
      }),
    ),
    rowFaultCount: z.number(),
    /** What was signed of its end and kept outside the database; null where the operator named no file for that. */
    signedHeads: z
      .object({
        heads: z.number(),
        last: z.object({ seq: z.number(), at: z.string() }).nullable(),
        fault: z.object({ seq: z.number(), at: z.string(), fault: z.enum(['shorter', 'another', 'forged']) }).nullable(),
      })
      .nullable(),
  }),
});

export const jumpItemSchema = z.object({
  kind: z.enum([
    'specification',
    'requirement',
    'case',
    'run',
    'round',
    'problem',
    'review',
    'baseline',
    'folder',
    'group',
    'flow',
    'parameters',
    'decisionTable',
    'stateTable',
    'file',
  ]),
  key: z.string(),
  title: z.string(),
  note: z.string(),
});
export type JumpItem = z.output<typeof jumpItemSchema>;
export const jump = endpoint('GET', '/projects/:project/jump', {
  summary: 'Records whose key or words match',
  may: 'member',
  params: inProject,
  query: z.object({ q: z.string().max(100), build: z.string().max(60).optional() }),
  answer: z.array(jumpItemSchema),
});
/** What is asked of a person, in the order in which a day is worked through. */
export const askedOf = ['record', 'sign', 'decide', 'answer', 'review', 'approve', 'confirm'] as const;
export const waitingItemSchema = jumpItemSchema.extend({
  place: z.enum(['bench', 'review', 'run', 'requirement', 'case', 'model']),
  asked: z.enum(askedOf),
  build: z.string().nullable(),
  /** Planned minutes, where it is a run. */
  minutes: z.number().nullable(),
  /** How many requirements cannot be proved before it is done. */
  holds: z.number(),
  /** Since when it waits. */
  since: z.string(),
});
export type WaitingItem = z.output<typeof waitingItemSchema>;
export const listWaiting = endpoint('GET', '/projects/:project/waiting', {
  summary: 'What waits for the person who asks, what holds up most first; nothing of closed builds',
  may: 'member',
  params: inProject,
  answer: z.array(waitingItemSchema),
});
const newsKinds = ['mentioned', 'answered', 'decided', 'commented', 'changed'] as const satisfies readonly NewsKind[];
const newsKindSchema = z.enum(newsKinds);
export const newsSchema = z.object({
  /** Newest first, each with why it is news. */
  entries: z.array(ledgerEntrySchema.extend({ why: newsKindSchema })),
  /** Up to which entry of the ledger the person has seen them, and how many of those here are newer. */
  seen: z.number(),
  unseen: z.number(),
  /** Kinds that the person switched off. */
  off: z.array(newsKindSchema),
});
export type News = z.output<typeof newsSchema>;
export const listNews = endpoint('GET', '/projects/:project/news', {
  summary: 'What others did that concerns one: to the records that one follows, and to one’s own work; newest first',
  may: 'member',
  params: inProject,
  query: z.object({ before: z.coerce.number().int().optional(), limit: z.coerce.number().int().min(1).max(100).default(30) }),
  answer: newsSchema,
});
export const setNews = endpoint('PUT', '/projects/:project/news', {
  summary: 'Say up to which entry one has seen one’s news, or which kinds are off',
  may: 'member',
  params: inProject,
  body: z.object({
    seen: z.number().int().min(0).max(Number.MAX_SAFE_INTEGER).optional(),
    off: z.array(newsKindSchema).max(newsKinds.length).optional(),
  }),
  answer: newsSchema,
});
