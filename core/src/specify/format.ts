import { envelope2, envelope3, envelope4, type RecordFormat } from '../base';
import { detailsOf, saidDetails, type RequirementContent } from './requirement';

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

/** Frozen, format 4: the same of one that has more than its text, all of it. */
export const requirementText4 = (key: string, revision: number, content: RequirementContent): string =>
  envelope4('requirement', key, revision, { ...plain(content), html: content.html ?? '', ...detailsOf(content) });

const saysMore = (content: RequirementContent): boolean => Object.keys(saidDetails(content)).length > 0;

/** The format in which a requirement is signed: 4 where it has more than its text, 3 where its text is laid out. */
export const requirementFormat = (content: RequirementContent): RecordFormat => (saysMore(content) ? 4 : content.html ? 3 : 2);

/** What an approval of a revision is bound to. */
export function requirementText(key: string, revision: number, content: RequirementContent): string {
  const encode = saysMore(content) ? requirementText4 : content.html ? requirementText3 : requirementText2;
  return encode(key, revision, content);
}
