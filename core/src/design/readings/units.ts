import Qty from 'js-quantities';

/**
 * Factors that are exact by definition, where the units package rounds them: to SI (NIST SP 811, appendix B, recalled; the knot is 1852 m an
 * hour, BIPM SI brochure, recalled; the conventional millimetre of mercury is 13.5951 × 9.80665 Pa).
 */
const exact: Readonly<Record<string, readonly [factor: number, unit: string]>> = {
  psi: [6894.757293168, 'Pa'],
  lbf: [4.4482216152605, 'N'],
  kn: [1852 / 3600, 'm/s'],
  kt: [1852 / 3600, 'm/s'],
  mmHg: [133.322387415, 'Pa'],
};

/** Scales of temperature: kelvin = (value + before) × factor (NIST SP 811, appendix B.8, recalled). */
const scales: Readonly<Record<string, { readonly before: number; readonly factor: number }>> = {
  '°C': { before: 273.15, factor: 1 },
  degC: { before: 273.15, factor: 1 },
  '°F': { before: 459.67, factor: 5 / 9 },
  degF: { before: 459.67, factor: 5 / 9 },
  K: { before: 0, factor: 1 },
};

/** A unit as the package spells it. */
const spelled = (unit: string): string =>
  unit
    .replaceAll('²', '2')
    .replaceAll('³', '3')
    .replaceAll('·', '*')
    .replaceAll('μ', 'µ')
    .replace(/^°$/, 'deg')
    .replace(/^Nm$/, 'N*m')
    .replace(/^Ohm$/, 'ohm');

const plain = (unit: string): string => unit.replaceAll(/\s/g, '');
/** Numbers without the dust of binary fractions. */
const tidy = (value: number): number => Number(value.toPrecision(14));

/** A factor and the unit that it leads to, as the package knows it; undefined for a unit that nobody knows. */
function known(unit: string): { readonly factor: number; readonly quantity: Qty } | undefined {
  const [factor, as] = exact[unit] ?? [1, spelled(unit)];
  const quantity = Qty.parse(`1 ${as}`);
  return quantity ? { factor, quantity } : undefined;
}

/** Can a unit be converted, or is it a name that is only the same as itself (`cycles`)? */
export const isKnownUnit = (unit: string): boolean => plain(unit) === '' || plain(unit) in scales || known(plain(unit)) !== undefined;

/**
 * A value in another unit; undefined where the two measure different things, or one of them is unknown and they are not the same name. Temperatures
 * are converted as points of their scales.
 */
export function convertUnit(value: number, from: string, to: string): number | undefined {
  const [a, b] = [plain(from), plain(to)];
  if (a === b) return value;
  if (a in scales && b in scales) {
    const kelvin = (value + scales[a].before) * scales[a].factor;
    return tidy(kelvin / scales[b].factor - scales[b].before);
  }
  return ratio(value, a, b);
}

/** A difference of two values in another unit: of temperatures the steps of the scale alone. */
export function convertDifference(value: number, from: string, to: string): number | undefined {
  const [a, b] = [plain(from), plain(to)];
  if (a === b) return value;
  if (a in scales && b in scales) return tidy((value * scales[a].factor) / scales[b].factor);
  return ratio(value, a, b);
}

function ratio(value: number, from: string, to: string): number | undefined {
  const [a, b] = [known(from), known(to)];
  if (!a || !b || !a.quantity.isCompatible(b.quantity)) return undefined;
  return tidy((value * a.factor * a.quantity.to(b.quantity).scalar) / b.factor);
}
