import type { Field, OwnValue } from '@contract/base';
import type { VersionedKind } from '@core/base';
import type { FilterField } from '../list/filter-text';

/** A value of a project's own field as people read it, with its unit. */
export function ownWords({ definition: { type, unit } }: Field, value: OwnValue): string {
  if (value === null) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) return value.join(', ');
  if (type === 'richText') return new DOMParser().parseFromString(String(value), 'text/html').body.textContent ?? '';
  return type === 'number' && unit ? `${value} ${unit}` : String(value);
}

/** A field's name as it is typed before a colon: letters and digits of its own name. */
const typedName = (name: string): string => {
  const plain = name.normalize('NFD').replace(/[^A-Za-z0-9]+/g, '');
  return /^[A-Za-z]/.test(plain) ? plain : `own${plain}`;
};

/** The project's own fields as a list can be asked for them. */
export const ownFilterFields = (fields: readonly Field[], kind: VersionedKind): FilterField[] =>
  fields
    .filter((f) => f.kind === kind && !f.retired)
    .map((f) => ({
      name: typedName(f.name),
      field: `own:${f.id}`,
      words: f.name,
      type: f.definition.type === 'number' ? 'number' : f.definition.type === 'yesNo' ? 'yesNo' : 'text',
      ...(f.definition.choices.length ? { values: f.definition.choices } : {}),
    }));
