/** Text as it stands in HTML. */
export const escapeHtml = (text: string | number | null): string => String(text ?? '').replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** Text as it stands between tags, quotes left as they are: as texts that are laid out are stored. */
export const escapeText = (text: string): string => text.replace(/[&<>]/g, (c) => (c === '&' ? '&amp;' : c === '<' ? '&lt;' : '&gt;'));

const entities: Readonly<Record<string, string>> = { '&amp;': '&', '&lt;': '<', '&gt;': '>', '&quot;': '"', '&#39;': "'", '&nbsp;': ' ' };

/** The words of clean HTML, a line a block: for search, difference and wording. */
export function plainText(html: string): string {
  return html
    .replace(/<br \/>/g, '\n')
    .replace(/<\/(p|li|tr|h3|h4|pre|blockquote)>/g, '\n')
    .replace(/<\/(td|th)>/g, '\t')
    .replace(/<[^<>]{0,20000}>/g, '')
    .replace(/&(amp|lt|gt|quot|#39|nbsp);/g, (entity) => entities[entity] ?? entity)
    .trim();
}
