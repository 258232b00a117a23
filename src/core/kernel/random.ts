/** Numbers from a seed, the same each time: a linear congruential generator (Knuth, 1981). Gives whole numbers from 0 to below a bound. */
export function numbersFrom(seed: number): (below: number) => number {
  let state = seed >>> 0;
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 0x1_0000_0000) * below);
  };
}
