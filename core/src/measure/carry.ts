import { diffArrays } from 'diff';
import { groupBy } from '../base';
import { sourceFunctions, type SourceFunction } from './functions';

/** A source file of a build. */
export interface SourceText {
  readonly path: string;
  readonly text: string;
}

/** Something that somebody said of code: that a function implements a requirement, or why lines need no evidence. */
export type CodeNote =
  | { readonly kind: 'trace'; readonly path: string; readonly unit: string; readonly requirement: string }
  | { readonly kind: 'justification'; readonly path: string; readonly from: number; readonly to: number; readonly rationale: string };

/** Why a note could not be carried: its file or function is gone, what it says something of was changed, or it stands in several places. */
export type NotCarried = 'fileGone' | 'functionGone' | 'changed' | 'ambiguous';

export interface Carried {
  readonly note: CodeNote;
  /** The same note for the next build. */
  readonly to?: CodeNote;
  readonly why?: NotCarried;
}

interface Body {
  readonly path: string;
  readonly name: string;
  readonly unit: SourceFunction;
  readonly lines: readonly string[];
}

const linesOf = (text: string): string[] => text.replace(/\r\n?/g, '\n').split('\n');
/** Indentation and trailing blanks are no change. */
export const normalText = (lines: readonly string[]): string => trimmed(lines).join('\n');
const trimmed = (lines: readonly string[]): string[] => lines.map((line) => line.trim().replace(/\s+/g, ' '));

function bodiesOf(files: readonly SourceText[]): Body[] {
  return files.flatMap(({ path, text }) => {
    const lines = trimmed(linesOf(text));
    return sourceFunctions(text).map((unit) => ({ path, name: unit.name, unit, lines: lines.slice(unit.start - 1, unit.end) }));
  });
}

const text = (body: Body): string => body.lines.join('\n');

/**
 * Which of the functions of the same text is the one that stood at a path under a name before: the one of that name in that file, or the only
 * one there is. Of several nobody knows.
 */
export function sameUnit<T extends { readonly path: string; readonly name: string }>(
  before: { readonly path: string; readonly name: string },
  sameText: readonly T[],
): T | 'ambiguous' | undefined {
  const here = sameText.filter(({ path, name }) => path === before.path && name === before.name);
  if (here.length === 1) return here[0];
  return sameText.length > 1 ? 'ambiguous' : sameText[0];
}

/** Why a function is not to be found with its text: it has another one, or it or its file is gone. */
export function goneBecause(
  { path, name }: { readonly path: string; readonly name: string },
  units: readonly { readonly path: string; readonly name: string | null }[],
  files: { readonly has: (path: string) => boolean },
): Exclude<NotCarried, 'ambiguous'> {
  if (units.some((unit) => unit.path === path && unit.name === name)) return 'changed';
  return files.has(path) ? 'functionGone' : 'fileGone';
}

/**
 * Carries traces and justifications from one build’s sources to the next’s. A function is the same where its text is (white space
 * aside), wherever it stands: moved within its file, to another one, or renamed in nothing but its place. Lines of a changed
 * function are carried where they and their order are unchanged. What cannot be matched is told with the reason.
 */
export function carryNotes(before: readonly SourceText[], after: readonly SourceText[], notes: readonly CodeNote[]): Carried[] {
  const oldBodies = bodiesOf(before);
  const newBodies = bodiesOf(after);
  const byText = groupBy(newBodies, text);
  const newFiles = new Map(after.map((file) => [file.path, trimmed(linesOf(file.text))]));
  const oldFiles = new Map(before.map((file) => [file.path, trimmed(linesOf(file.text))]));

  const sameBody = (body: Body): Body | 'ambiguous' | undefined => sameUnit(body, byText.get(text(body)) ?? []);
  const gone = (body: Body): NotCarried => goneBecause(body, newBodies, newFiles);

  const trace = (note: Extract<CodeNote, { kind: 'trace' }>): Carried => {
    const body = oldBodies.find((b) => b.path === note.path && b.name === note.unit);
    if (!body) return { note, why: 'functionGone' };
    const now = sameBody(body);
    if (now === 'ambiguous') return { note, why: 'ambiguous' };
    return now ? { note, to: { ...note, path: now.path, unit: now.name } } : { note, why: gone(body) };
  };

  const justification = (note: Extract<CodeNote, { kind: 'justification' }>): Carried => {
    const body = oldBodies.find((b) => b.path === note.path && note.from >= b.unit.start && note.to <= b.unit.end);
    const now = body && sameBody(body);
    if (now === 'ambiguous') return { note, why: 'ambiguous' };
    if (body && now) {
      const shift = now.unit.start - body.unit.start;
      return { note, to: { ...note, path: now.path, from: note.from + shift, to: note.to + shift } };
    }
    // The function was changed, or the lines stand outside any: look for the lines themselves.
    const changed = body && newBodies.find((b) => b.path === body.path && b.name === body.name);
    const old = body && changed ? body.lines : oldFiles.get(note.path);
    const next = body && changed ? changed.lines : newFiles.get(note.path);
    if (!old || !next) return { note, why: 'fileGone' };
    if (body && !changed) return { note, why: gone(body) };
    const first = body && changed ? body.unit.start : 1;
    const at = matchedLines(old, next);
    const places = Array.from({ length: note.to - note.from + 1 }, (_, i) => at.get(note.from - first + i));
    const start = places[0];
    if (start === undefined || places.some((place, i) => place !== start + i)) return { note, why: 'changed' };
    const shift = (changed ? changed.unit.start : 1) + start;
    return { note, to: { ...note, from: shift, to: shift + note.to - note.from } };
  };

  return notes.map((note) => (note.kind === 'trace' ? trace(note) : justification(note)));
}

/** Where each unchanged line went, counted from 0. */
function matchedLines(old: readonly string[], next: readonly string[]): Map<number, number> {
  const places = new Map<number, number>();
  let [from, to] = [0, 0];
  for (const part of diffArrays([...old], [...next])) {
    const size = part.value.length;
    if (part.removed) from += size;
    else if (part.added) to += size;
    else for (let i = 0; i < size; i++) places.set(from++, to++);
  }
  return places;
}
