import { scaleLinear, scaleSqrt } from "d3-scale";
import { BINS } from "@/core/match/metrics.ts";
import type { Band, LimitsInUse } from "@/core/match/limits.ts";
import { grouped } from "../kit/words.ts";
import { bandsOfBars, wordsOfBars, wordsOfPairs } from "./score-bars.ts";

const WIDE = 344;
const TALL = 104;

/** Candidates by score, each bar in the colour and pattern of its band; the limits stand as lines with their numbers. */
export function ScoreChart({
  scores,
  limits,
  pairs = null,
  title,
}: {
  scores: readonly number[];
  limits: LimitsInUse;
  /** How many of each band there were by these limits; null where others are tried. */
  pairs?: Readonly<Record<Band, number>> | null;
  title: string;
}) {
  const x = scaleLinear().domain([0, 100]).range([0, WIDE]);
  // Different pairs outnumber all others: by the square root, the few in the middle can still be seen.
  const y = scaleSqrt()
    .domain([0, Math.max(1, ...scores)])
    .range([0, TALL]);
  const step = 100 / BINS;
  // Where nothing is joined by itself the limit for the same lies beyond the end.
  const same = limits.same ?? Infinity;
  const fill = { same: "var(--pine)", ask: "var(--slate)", different: "var(--rule)" };
  const bands = bandsOfBars(limits);
  const of = pairs ? wordsOfPairs(pairs) : wordsOfBars(scores, bands, limits);
  const lines = [...new Set([limits.ask, ...(limits.same === null ? [] : [limits.same])])];
  return (
    <figure>
      <svg
        viewBox={`0 -16 ${WIDE} ${TALL + 36}`}
        width="100%"
        role="img"
        aria-label={`${title}: ${of.same} the same, ${of.ask} to ask about, ${of.different} different`}
      >
        {scores.map((n, i) => (
          <rect
            key={i}
            x={x(i * step) + 0.5}
            width={Math.max(1, x(step) - 1)}
            y={TALL - y(n)}
            height={y(n)}
            fill={fill[bands[i]!]}
          >
            <title>{`${i * step} to ${(i + 1) * step}: ${grouped(n)}`}</title>
          </rect>
        ))}
        <line x1="0" x2={WIDE} y1={TALL} y2={TALL} stroke="currentColor" />
        {lines.map((limit) => (
          <g key={limit}>
            <line x1={x(limit)} x2={x(limit)} y1={-4} y2={TALL + 5} stroke="currentColor" strokeWidth="1.5" />
            <text x={x(limit) - 4} y={4} fontSize="11" textAnchor="end" fill="currentColor">
              {limit}
            </text>
          </g>
        ))}
        <text x={x(limits.ask) - 6} y={TALL + 17} fontSize="11" textAnchor="end" className="faint" fill="currentColor">
          different {of.different}
        </text>
        {same > limits.ask && (
          <text
            x={x((limits.ask + Math.min(same, 92)) / 2)}
            y={TALL + 17}
            fontSize="11"
            textAnchor="middle"
            className="waiting"
            fill="currentColor"
          >
            ask {of.ask}
          </text>
        )}
        <text
          x={WIDE}
          y={TALL + 17}
          fontSize="11"
          textAnchor="end"
          className="loaded"
          fill="currentColor"
          fontWeight="700"
        >
          same {of.same}
        </text>
      </svg>
      <figcaption className="faint text-xs">Scores from 0 to 100; heights by the square root of the count.</figcaption>
    </figure>
  );
}
