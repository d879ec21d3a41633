import type { Role, VersionedKind } from '../base';
import { signatureMeanings } from '../run';

/** Kinds of records that people sign beside what the rules ask for. */
export const signableKinds = [
  'requirement',
  'case',
  'run',
  'flow',
  'parameters',
  'decisionTable',
  'stateTable',
] as const satisfies readonly VersionedKind[];
export type SignableKind = (typeof signableKinds)[number];

/** A meaning that a project gives to signatures of its own: "witnessed", say. No rule rests on it; it stands in record and pack. */
export interface OwnMeaning {
  /** One word or a few, as it stands beside the printed name: up to thirty characters. */
  readonly name: string;
  /** The sentence that is signed. */
  readonly says: string;
  /** Who may sign so. */
  readonly roles: readonly Role[];
  /** What is signed so. */
  readonly kinds: readonly SignableKind[];
}

/** What is wrong with a meaning of a list, in words, by its place; the meanings of the rules stay theirs. */
export function meaningFaults(list: readonly OwnMeaning[]): readonly { readonly at: number; readonly text: string }[] {
  const names = list.map(({ name }) => name.trim().toLowerCase());
  return list.flatMap(({ name, says, roles, kinds }, at) => {
    const texts = [
      ...(name.trim() ? [] : ['It needs a name.']),
      ...(name.trim().length > 30 ? ['A name has at most thirty characters.'] : []),
      ...(signatureMeanings.some((known) => known === names[at])
        ? [`“${name.trim()}” is a meaning that the rules know: choose another name.`]
        : []),
      ...(names[at] && names.indexOf(names[at]) < at ? [`“${name.trim()}” stands here twice.`] : []),
      ...(says.trim() ? [] : ['It needs the sentence that is signed.']),
      ...(roles.length ? [] : ['Say who may sign so.']),
      ...(kinds.length ? [] : ['Say what is signed so.']),
    ];
    return texts.map((text) => ({ at, text }));
  });
}

/** The meanings in which somebody with these roles may sign a record of a kind. */
export const meaningsFor = (list: readonly OwnMeaning[] | undefined, kind: string, roles: readonly Role[]): readonly OwnMeaning[] =>
  (list ?? []).filter((meaning) => meaning.kinds.some((known) => known === kind) && meaning.roles.some((role) => roles.includes(role)));
