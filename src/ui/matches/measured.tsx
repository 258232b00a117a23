import { measuredWords, withMore } from "@/core/match/model/measured.ts";

/** Answers that are spoken of together. */
const MORE = 20;

/** What decided pairs say of the limit, and what more of them would. */
export function Measured({ answered }: { answered: { right: number; all: number } | undefined }) {
  const { right, all } = answered ?? { right: 0, all: 0 };
  const words = measuredWords(right, all);
  const { now, then } = withMore(right, all, MORE);
  const half = (width: number): string => `${Math.round(50 * width)} %`;
  return (
    <p className="faint mt-1 text-sm">
      {words === null
        ? "No decided pair scores as high as the limit yet, so nothing is measured. Decided pairs teach the estimate from the next load on."
        : `Measured from the limit on: ${words}. ${MORE} more answers there would narrow that from about ±${half(now)} to ±${half(then)}.`}
    </p>
  );
}
