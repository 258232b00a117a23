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

/** The bits of a score; the ends are taken for 60 bits either way. */
export function bitsOf(score: number): number {
  if (score <= 0) return -60;
  if (score >= 100) return 60;
  return BITS_PER_STEP * Math.log2(score / (100 - score));
}
