import type { Finding } from '../../base';
import type { CaseStep } from '../case';

const numbering = /^(?:(?:\(?\d+(?:\.\d+)*[.)]?|\(?[a-zA-Z][.)]|[-*•–])\s+|step\s+\d+\s*[:.)-]\s*)/i;
const expectedWord = /^(?:expected(?:\s+results?)?|expects?|results?|then|verify that|check that|should)\s*[:\-–]?\s*/i;
/** Of a line whose gaps are single blanks. */
const inline = / (?:=>|->|→|—) |[;.]? (?=(?:expected(?: results?)?|expect|result) ?:)/i;

const indentOf = (line: string): number => line.replaceAll('\t', '    ').search(/\S/);

/**
 * An outline as people write it, as steps: numbers, letters and bullets are taken off; "expected:" and the like, an arrow, or an indented line
 * under a step is what must be seen; a line further in that is numbered is a step of its own. Steps without an expected result are told.
 */
export function stepsFromOutline(text: string): { readonly steps: readonly CaseStep[]; readonly findings: readonly Finding[] } {
  const steps: { action: string; expected: string; row: number; indent: number }[] = [];
  let listening = false;
  text.split(/\r?\n/).forEach((raw, i) => {
    const line = raw.trimEnd();
    if (!line.trim()) return;
    const indent = indentOf(line);
    const bare = line.trim().replace(numbering, '');
    const numbered = bare.length < line.trim().length;
    const last = steps.at(-1);
    const given = expectedWord.exec(bare);
    if (last && given && (given[0].includes(':') || !numbered || indent > last.indent)) {
      last.expected = join(last.expected, bare.slice(given[0].length));
      listening = !bare.slice(given[0].length);
      return;
    }
    if (last && !numbered && (indent > last.indent || listening)) {
      // Deeper and without a number: what must be seen, or the action going on where that is told already by another line.
      last.expected = join(last.expected, bare);
      return;
    }
    const [action, ...seen] = bare.replaceAll(/\s+/g, ' ').split(inline);
    steps.push({ action: action.trim(), expected: seen.join(' ').replace(expectedWord, '').trim(), row: i + 1, indent });
    listening = false;
  });
  return {
    steps: steps.map(({ action, expected }) => ({ action, expected })),
    findings: steps.filter((s) => !s.expected).map(({ row }) => ({ severity: 'warning', row, text: 'This step has no expected result.' })),
  };
}

const join = (before: string, more: string): string => [before, more.trim()].filter(Boolean).join('\n');
