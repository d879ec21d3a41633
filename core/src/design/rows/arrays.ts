/**
 * Rows that cover all pairs of k two-valued factors, as few as there can be: the least N with C(N-1, ceil(N/2)) >= k (Katona 1973;
 * Kleitman & Spencer 1973, recalled). The factors are sets of N/2 rows, rounded down, that all hold the first row and so meet each
 * other; of the same size, none holds another; and together they leave a row out.
 */
export function twoValuedRows(k: number): number[][] {
  let n = 4;
  while (choose(n - 1, Math.ceil(n / 2)) < k) n++;
  const size = Math.floor(n / 2);
  const factors: number[][] = [];
  const walk = (chosen: number[], from: number): void => {
    if (factors.length === k) return;
    if (chosen.length === size) factors.push(chosen);
    else for (let i = from; i < n; i++) walk([...chosen, i], i + 1);
  };
  walk([0], 1);
  return Array.from({ length: n }, (_, row) => factors.map((set) => (set.includes(row) ? 1 : 0)));
}

function choose(n: number, k: number): number {
  let result = 1;
  for (let i = 1; i <= k; i++) result = (result * (n - k + i)) / i;
  return Math.round(result);
}

/**
 * An orthogonal array of strength 2: q^2 rows for up to q + 1 factors of q values, q the least prime power that is large enough
 * (Bush 1952, recalled); undefined where the factors are more, or q has no field here.
 */
export function orthogonalRows(factors: number, values: number): number[][] | undefined {
  const field = fieldOf(values);
  if (!field || factors > field.size + 1) return undefined;
  const { size, add, multiply } = field;
  const rows: number[][] = [];
  for (let a = 0; a < size; a++)
    for (let b = 0; b < size; b++) rows.push([...Array.from({ length: size }, (_, x) => add(a, multiply(b, x))), b].slice(-factors));
  return rows;
}

interface Field {
  readonly size: number;
  add(a: number, b: number): number;
  multiply(a: number, b: number): number;
}

/** The smallest field of at least so many elements, to 9. */
function fieldOf(values: number): Field | undefined {
  const size = [2, 3, 4, 5, 7, 8, 9, 11, 13].find((q) => q >= values);
  if (size === undefined) return undefined;
  // Elements as polynomials over p, by their digits; reduced by an irreducible one.
  const [p, reduce] = size === 4 ? [2, [1, 1, 1]] : size === 8 ? [2, [1, 1, 0, 1]] : size === 9 ? [3, [1, 0, 1]] : [size, [0, 1]];
  const degree = reduce.length - 1;
  const digits = (a: number): number[] => Array.from({ length: degree }, (_, i) => Math.floor(a / p ** i) % p);
  const number = (list: readonly number[]): number => list.reduce((sum, d, i) => sum + d * p ** i, 0);
  return {
    size,
    add: (a, b) => number(digits(a).map((d, i) => (d + digits(b)[i]) % p)),
    multiply: (a, b) => {
      if (degree === 1) return (a * b) % p;
      const product = new Array<number>(2 * degree - 1).fill(0);
      digits(a).forEach((x, i) => digits(b).forEach((y, j) => (product[i + j] = (product[i + j] + x * y) % p)));
      for (let i = product.length - 1; i >= degree; i--) {
        const lead = product[i];
        reduce.forEach((c, j) => (product[i - degree + j] = (product[i - degree + j] + (p - 1) * lead * c + p * p * lead) % p));
      }
      return number(product.slice(0, degree));
    },
  };
}
