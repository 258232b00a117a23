const LOG = 12;
const REGISTERS = 1 << LOG;
/** Up to this many different values the count is exact. */
export const EXACT_DISTINCT = 2048;

/**
 * Counts different values: exactly up to EXACT_DISTINCT, then by HyperLogLog (Flajolet, Fusy,
 * Gandouet and Meunier, 2007) with 4,096 registers, a standard error of 1.6 %.
 */
export class Distinct {
  private exact: Set<number> | null = new Set();
  private readonly registers = new Uint8Array(REGISTERS);

  /** Takes the 32-bit hash of a value. */
  add(hash: number): void {
    if (this.exact) {
      this.exact.add(hash);
      if (this.exact.size > EXACT_DISTINCT) this.exact = null;
    }
    const register = hash >>> (32 - LOG);
    const rank = Math.clz32((hash << LOG) | (1 << (LOG - 1))) + 1;
    if (rank > this.registers[register]!) this.registers[register] = rank;
  }

  finish(): { count: number; estimated: boolean } {
    if (this.exact) return { count: this.exact.size, estimated: false };
    let sum = 0;
    let zeros = 0;
    for (const rank of this.registers) {
      sum += 2 ** -rank;
      if (rank === 0) zeros++;
    }
    const raw = ((0.7213 / (1 + 1.079 / REGISTERS)) * REGISTERS * REGISTERS) / sum;
    let count = raw;
    if (raw <= 2.5 * REGISTERS && zeros > 0) count = REGISTERS * Math.log(REGISTERS / zeros);
    // The hash has 32 bits: past some hundred million values its own collisions are corrected for.
    else if (raw > 2 ** 32 / 30) count = -(2 ** 32) * Math.log(1 - raw / 2 ** 32);
    return { count: Math.round(count), estimated: true };
  }
}
