import type { Field, OwnValue } from '@contract/base';
import type { VersionedKind } from '@core/base';
import type { FilterField } from '../list/filter-text';
import type { ListColumn } from '../list/kind';

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
      ...(f.definition.type === 'person' ? { grouped: true } : {}),
    }));

interface OwnRow {
  readonly key: string;
  readonly own: Readonly<Record<string, OwnValue>>;
}

/** What is written in a cell, as a value of the field; undefined for what cannot be meant. */
export function ownValueOf({ definition: { type } }: Field, text: string): OwnValue | undefined {
  const plain = text.trim();
  if (!plain) return null;
  if (type === 'yesNo') return plain === 'yes' ? true : plain === 'no' ? false : undefined;
  if (type !== 'number') return plain;
  const value = Number(plain.replace(',', '.'));
  return Number.isFinite(value) ? value : undefined;
}

/** The project's own fields as columns of a list, written in their cells; what is more than a line is written on the record. */
export const ownColumns = (fields: readonly Field[], kind: VersionedKind): ListColumn<OwnRow>[] =>
  fields
    .filter((f) => f.kind === kind && !f.retired)
    .map((f) => {
      const { type, choices, shown } = f.definition;
      const value = (row: OwnRow): OwnValue => row.own[f.id] ?? null;
      const values = type === 'choice' ? ['', ...choices] : type === 'yesNo' ? ['', 'yes', 'no'] : undefined;
      return {
        name: `own:${f.id}`,
        words: f.name,
        width: 130,
        sort: `own:${f.id}`,
        usual: shown !== 'record',
        number: type === 'number',
        show: (row) => ownWords(f, value(row)),
        text: (row) => (type === 'number' ? String(value(row) ?? '') : ownWords(f, value(row))),
        ...(type === 'richText' || type === 'choices' || type === 'person'
          ? {}
          : {
              edit: {
                ...(values ? { values } : {}),
                act: (text) => {
                  const given = ownValueOf(f, text);
                  return given === undefined ? undefined : { act: 'own', own: { [f.id]: given } };
                },
              },
            }),
      };
    });
