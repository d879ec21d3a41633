import { usualWording } from '../../core/src/specify';
import type { Actor, Db } from '../../server/src/base';
import { addBaseline, addReview, answerReview, dismissFinding, grantException, listGaps, saveWording } from '../../server/src/specify';

/** The modes and outputs by the names that the specification gives them. */
const glossary = [
  { term: 'OFF', meaning: 'The mode in which all outputs are without power.' },
  { term: 'RUN', meaning: 'The mode in which the drive may move the rope.' },
  { term: 'EVAC', meaning: 'The mode in which cabins are brought home without mains.' },
  { term: 'FAULT', meaning: 'The mode that is entered on a fault and left only by a reset.' },
];

/** What both specifications were when the released build was made: before anything of them changed. */
export async function seedBaseline(db: Db, author: Actor, password: string): Promise<void> {
  await saveWording(db, author, { ...usualWording, glossary });
  await addBaseline(db, author, {
    title: 'Release 2.4.0, first candidate',
    description: 'What the first candidate for the winter season was built against.',
    specifications: ['SYS', 'BRK'],
    password,
  });
}

/** A review that is under way, findings of wording that were let stand, and an exception from a rule of trace. */
export async function seedReviews(db: Db, as: (login: string) => Actor, password: string): Promise<void> {
  const author = as('mira.oberon');
  const { key } = await addReview(db, author, {
    title: 'Pressure sensors before the second candidate',
    question: 'Can each be verified on the rig? Is anything missing for the winter?',
    due: new Date(author.now().getTime() + 8 * 24 * 3600_000).toISOString().slice(0, 10),
    people: ['ines.quarry', 'bela.stroud'],
    keys: ['BRK-102'],
  });
  const said = (login: string, requirement: string, revision: number, answer: 'agree' | 'change', note = '') =>
    answerReview(db, as(login), key, { requirement, revision, answer, note });
  await said('ines.quarry', 'BRK-008', 1, 'agree');
  await said('ines.quarry', 'BRK-009', 1, 'change', 'Say which channel is used when both come back.');
  await said('bela.stroud', 'BRK-008', 1, 'agree');
  for (const [requirement, words, reason] of [
    ['BRK-028', 'shall be latched', 'The alarm list does it; it is the only place where alarms are kept.'],
    ['BRK-006', 'shall be noticed', 'By the controller: the whole specification is of it.'],
  ])
    await dismissFinding(db, author, requirement, { rule: 'passive', words, reason });
  const { rows } = await listGaps(db, author.projectId, { rule: 'lowerLevel', skip: 0, limit: 1 });
  for (const { rule, key: of, other, ground } of rows)
    await grantException(db, as('ines.quarry'), {
      rule,
      key: of,
      other,
      ground,
      reason: 'The first stage only warns; the second one, at the level of its parent, closes the brake.',
      password,
    });
}
