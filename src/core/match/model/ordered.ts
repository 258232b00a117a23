/**
 * Numbers in their order that never fall: neighbours that do are put together, by their weighted mean (pool adjacent
 * violators, Ayer et al., 1955).
 */
export function neverFalling(numbers: readonly number[], weights: readonly number[]): number[] {
  const blocks: { sum: number; weight: number; size: number }[] = [];
  const meanOf = ({ sum, weight }: { sum: number; weight: number }): number => (weight === 0 ? 0 : sum / weight);
  numbers.forEach((x, i) => {
    blocks.push({ sum: x * weights[i]!, weight: weights[i]!, size: 1 });
    while (blocks.length > 1) {
      const [a, b] = [blocks.at(-2)!, blocks.at(-1)!];
      if (meanOf(a) <= meanOf(b)) break;
      blocks.splice(-2, 2, { sum: a.sum + b.sum, weight: a.weight + b.weight, size: a.size + b.size });
    }
  });
  return blocks.flatMap((b) => Array.from({ length: b.size }, () => meanOf(b)));
}
