import { envelope2, envelope3, type RecordFormat } from '../base';
import type { RequirementContent } from './requirement';

const plain = ({ kind, title, text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale }: RequirementContent) => ({
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

/** Frozen, format 2: the text that an approval of a requirement in plain words is bound to. */
export const requirementText2 = (key: string, revision: number, content: RequirementContent): string =>
  envelope2('requirement', key, revision, plain(content));

/** Frozen, format 3: the same of one that is laid out, its layout with it. Pictures in it are bound by their hashes. */
export const requirementText3 = (key: string, revision: number, content: RequirementContent): string =>
  envelope3('requirement', key, revision, { ...plain(content), html: content.html ?? '' });

/** The format in which a requirement is signed: 3 where its text is laid out. */
export const requirementFormat = ({ html }: RequirementContent): RecordFormat => (html ? 3 : 2);

/** What an approval of a revision is bound to. */
export const requirementText = (key: string, revision: number, content: RequirementContent): string =>
  content.html ? requirementText3(key, revision, content) : requirementText2(key, revision, content);
