/** Numbers from 0 to 1 that follow from a seed (xorshift: Marsaglia 2003). The first ones of small seeds are small themselves: `skip` leaves some out. */
export function random(seed: number, skip = 0): () => number {
  let s = seed >>> 0 || 1;
  const next = (): number => {
    s ^= s << 13;
    s >>>= 0;
    s ^= s >>> 17;
    s ^= s << 5;
    s >>>= 0;
    return s / 2 ** 32;
  };
  for (let i = 0; i < skip; i++) next();
  return next;
}
