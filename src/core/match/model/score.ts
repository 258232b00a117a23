/** Bits from which a score goes half way to 0 or 100: a score of 80 is 8 bits, or 256 to 1. */
const BITS_PER_STEP = 4;

/** A score from 0 to 100 for bits of evidence; 50 where same and different are as likely. */
export function scoreOf(bits: number): number {
  return 100 / (1 + 2 ** (-bits / BITS_PER_STEP));
}

/** The probability that a pair with so many bits is the same. */
export function probabilityOf(bits: number): number {
  return 1 / (1 + 2 ** -bits);
}

/** Bits that a limit has which nothing reaches: from so many on a score is as good as 100. */
export const MOST_BITS = 60;

/** The bits of a score; the ends are taken for the most either way. */
export function bitsOf(score: number): number {
  if (score <= 0) return -MOST_BITS;
  if (score >= 100) return MOST_BITS;
  return BITS_PER_STEP * Math.log2(score / (100 - score));
}
