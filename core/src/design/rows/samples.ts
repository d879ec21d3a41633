/**
 * How many samples must be run without any failure to claim a reliability with a confidence: n = ln(1 - C) / ln(R), rounded up (success-run theorem,
 * from the binomial distribution). Both are shares above 0 and below 1; others throw (programmer error).
 */
export function samplesWithoutFailure(confidence: number, reliability: number): number {
  for (const share of [confidence, reliability])
    if (!(share > 0 && share < 1)) throw new Error('confidence and reliability are shares above 0 and below 1');
  // The dust of binary fractions must not ask for one sample more.
  return Math.ceil(Math.log(1 - confidence) / Math.log(reliability) - 1e-9);
}

/** The logarithm of n over k. */
function logChoose(n: number, k: number): number {
  let sum = 0;
  for (let i = 1; i <= k; i++) sum += Math.log(n - k + i) - Math.log(i);
  return sum;
}

/** More samples than these are not worked out. */
export const mostSamples = 10_000_000;

/**
 * How many samples must be run, of which so many may fail, to claim a reliability with a confidence: the least n for which the binomial probability of at most
 * r failures, at that reliability, is no more than 1 - C. Without failures it is the success-run theorem. Undefined beyond `mostSamples`.
 * Shares outside 0 to 1, or failures that are no whole number from 0 to 1000, throw (programmer error).
 */
export function samplesFor(confidence: number, reliability: number, failures: number): number | undefined {
  if (!Number.isInteger(failures) || failures < 0 || failures > 1000) throw new Error('failures are a whole number from 0 to 1000');
  const without = samplesWithoutFailure(confidence, reliability);
  if (failures === 0) return without;
  const [fails, holds] = [Math.log(1 - reliability), Math.log(reliability)];
  /** The probability that at most r of n fail. */
  const atMost = (n: number): number => {
    let sum = 0;
    for (let i = 0; i <= failures; i++) sum += Math.exp(logChoose(n, i) + i * fails + (n - i) * holds);
    return sum;
  };
  let [low, high] = [failures + 1, Math.max(failures + 1, without)];
  while (atMost(high) > 1 - confidence + 1e-12) {
    low = high;
    high *= 2;
    if (high > mostSamples) return undefined;
  }
  while (low < high) {
    const middle = Math.floor((low + high) / 2);
    if (atMost(middle) <= 1 - confidence + 1e-12) high = middle;
    else low = middle + 1;
  }
  return low;
}
