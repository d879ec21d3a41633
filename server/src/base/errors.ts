import { problemCodes, type ProblemCode, type ProblemDetails } from '@contract/base';

/** An answer that is not the one asked for, with its stable code. Thrown by services, written as RFC 9457 problem details. */
export class Refusal extends Error {
  constructor(
    readonly code: ProblemCode,
    readonly more: Pick<ProblemDetails, 'detail' | 'fields' | 'current' | 'findings'> = {},
  ) {
    super(more.detail ?? problemCodes[code][1]);
  }

  details(): ProblemDetails {
    const [status, title] = problemCodes[this.code];
    return { type: `urn:cord-proof:problem:${this.code}`, title, status, code: this.code, ...this.more };
  }
}

/** Why something is refused, in words: as particular as is known. */
export function refusalWords({ more, message }: Refusal): string {
  const found = more.findings?.map(({ row, cell, text }) => [row && `Row ${row}`, cell, text].filter(Boolean).join(', '));
  return (more.detail ?? (more.fields?.map((f) => f.text).join(' ') || found?.slice(0, 3).join(' ') || message)).slice(0, 500);
}

const lost = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'PROTOCOL_CONNECTION_LOST',
  'EPIPE',
  'ETIMEDOUT',
  'ER_SERVER_SHUTDOWN',
  'ER_CON_COUNT_ERROR',
  'ENOENT',
  'POOL_CLOSED',
  'ER_OPTION_PREVENTS_STATEMENT',
  'ER_DISK_FULL',
  'ER_RECORD_FILE_FULL',
]);
const clash = new Set(['ER_LOCK_DEADLOCK', 'ER_LOCK_WAIT_TIMEOUT', 'ER_CHECKREAD']);

/** The database driver's code of an error, wherever it is wrapped. */
function driverCode(error: unknown): string | undefined {
  for (let e = error, i = 0; e instanceof Error && i < 5; e = e.cause, i++) if ('code' in e && typeof e.code === 'string') return e.code;
  return undefined;
}

/** The database could not be reached, or went away meanwhile. */
export const isLost = (error: unknown): boolean => lost.has(driverCode(error) ?? '');
/** Two transactions got into each other's way; the loser may simply try again. */
export const isClash = (error: unknown): boolean => clash.has(driverCode(error) ?? '');
/** What it waited for was held for longer than it wanted to wait; the transaction itself goes on. */
export const isLockWait = (error: unknown): boolean => driverCode(error) === 'ER_LOCK_WAIT_TIMEOUT';
export const isDuplicate = (error: unknown): boolean => driverCode(error) === 'ER_DUP_ENTRY';
