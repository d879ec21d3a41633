import * as z from 'zod';

/** Problem details after RFC 9457, with a stable code. */
export const problemDetails = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number(),
  code: z.string(),
  detail: z.string().optional(),
  /** Which part of the input it is about. */
  fields: z.array(z.object({ path: z.string(), text: z.string() })).optional(),
  /** For a conflict: the version that is stored now. */
  current: z.unknown().optional(),
  findings: z
    .array(z.object({ row: z.number().optional(), cell: z.string().optional(), severity: z.enum(['error', 'warning']), text: z.string() }))
    .optional(),
});
export type ProblemDetails = z.output<typeof problemDetails>;

/** The one table of error codes: status and words. A code, once given out, keeps its meaning. */
export const problemCodes = {
  invalid: [400, 'Something in the input is not right.'],
  notSignedIn: [401, 'You are not signed in, or your session has ended. Sign in again; what you typed is kept.'],
  wrongPassword: [401, 'Name or password is wrong.'],
  signaturePassword: [403, 'The password is wrong. Nothing was signed.'],
  locked: [429, 'Too many wrong passwords from here. Wait ten minutes before you try again.'],
  setPassword: [403, 'You signed in with a one-time code: set your own password first.'],
  secondFactor: [403, 'Your password was right. Show your second factor to go on.'],
  secondFactorNeeded: [403, 'This needs a second factor. Add one to your account, and sign in with it.'],
  tooSlow: [408, 'The request did not arrive in time. Nothing was stored.'],
  lastAdministrator: [409, 'This is the last administrator: make somebody else one first.'],
  tooMany: [429, 'Too many requests at once. Wait a moment and try again.'],
  forbidden: [403, 'Your role in this project does not allow this.'],
  wrongOrigin: [403, 'The request did not come from this application’s own pages.'],
  notFound: [404, 'There is no such record here.'],
  conflict: [409, 'Somebody else saved in between. Both versions are kept: choose what to save.'],
  exists: [409, 'A record with this key or name exists already.'],
  held: [503, 'Somebody else is changing the same thing and has not finished. Nothing was changed; try again in a moment.'],
  busy: [503, 'What is stored of the board is not brought along yet. Try again in a moment.'],
  repeated: [409, 'This request was done already. What it did is stored; read it again.'],
  needsConfirmation: [409, 'Somebody other than its author has to confirm this.'],
  ownWork: [403, 'Nobody approves or confirms their own work here: another person must.'],
  closed: [409, 'This build is closed: what was recorded on it does not change any more.'],
  signed: [409, 'The record is signed and cannot change any more.'],
  stateForbids: [409, 'The record’s present state does not allow this.'],
  selfReview: [403, 'The tester of a run cannot review it: another person must.'],
  notTester: [403, 'Only the tester of this run can sign that it was performed.'],
  notFinished: [409, 'The run is not finished: it has no verdict yet.'],
  notPerformed: [409, 'The tester has not signed this run yet.'],
  alreadySigned: [409, 'This signature was given already.'],
  recordChanged: [409, 'The record no longer matches what the tester signed.'],
  tooLarge: [413, 'The upload is larger than is taken here. Nothing was stored.'],
  unreadable: [422, 'The file cannot be read as what it should be. Nothing was stored.'],
  importErrors: [422, 'Some rows have errors. Nothing was written.'],
  hostileArchive: [422, 'The archive is not safe to open. Nothing was stored.'],
  unavailable: [503, 'The database cannot be reached at the moment. Nothing was lost that had been confirmed; try again.'],
  internal: [500, 'Something went wrong on the server. Nothing was half written.'],
} as const satisfies Record<string, readonly [number, string]>;
export type ProblemCode = keyof typeof problemCodes;
