/** Text as it stands in HTML. */
export const escapeHtml = (text: string | number | null): string => String(text ?? '').replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
