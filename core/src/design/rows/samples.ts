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
