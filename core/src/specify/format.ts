import { envelope2 } from '../base';
import type { RequirementContent } from './requirement';

/** Frozen, format 2: the text that an approval of a requirement is bound to. */
export function requirementText2(key: string, revision: number, content: RequirementContent): string {
  const { kind, title, text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale } = content;
  return envelope2('requirement', key, revision, {
    kind,
    title,
    text,
    rationale,
    level,
    method,
    topLevel,
    derived,
    notInCode,
    notInCodeRationale,
  });
}
