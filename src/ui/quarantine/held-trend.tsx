import { max } from "d3-array";
import { scaleBand, scaleLinear } from "d3-scale";
import { percent } from "@/core/gate/usual.ts";
import { withPath } from "../kit/with-path.ts";

/** Share held, load by load: bars from zero, each with its number and a link to its load. */
export function HeldTrend({ loads, here }: { loads: { id: number; read: number; held: number }[]; here?: number }) {
  const wide = 770;
  const tall = 62;
  const x = scaleBand<number>()
    .domain(loads.map((l) => l.id))
    .range([0, wide])
    .padding(0.4);
  const shares = loads.map((l) => (l.read === 0 ? 0 : l.held / l.read));
  const y = scaleLinear()
    .domain([0, Math.max(0.01, max(shares) ?? 0)])
    .range([0, tall - 16]);
  return (
    <svg
      viewBox={`0 0 ${wide} ${tall + 18}`}
      width={wide}
      height={tall + 18}
      className="max-w-full"
      role="group"
      aria-label="Share held by load"
    >
      {loads.map((l, i) => (
        <a
          key={l.id}
          href={withPath(`/loads/${l.id}`)}
          aria-label={`Load ${l.id}: ${percent(shares[i]!)} held`}
          className={l.id === here ? "held" : ""}
        >
          <rect
            x={x(l.id)}
            width={Math.min(46, x.bandwidth())}
            y={tall - y(shares[i]!)}
            height={Math.max(0.5, y(shares[i]!))}
            fill={l.id === here ? "var(--plum)" : "var(--grain)"}
          />
          <text
            x={(x(l.id) ?? 0) + Math.min(46, x.bandwidth()) / 2}
            y={tall - y(shares[i]!) - 4}
            fontSize="11"
            textAnchor="middle"
            fill="var(--ink)"
            fontWeight={l.id === here ? 700 : 400}
          >
            {percent(shares[i]!)}
          </text>
          <text
            x={(x(l.id) ?? 0) + Math.min(46, x.bandwidth()) / 2}
            y={tall + 13}
            fontSize="11"
            textAnchor="middle"
            className="faint"
            fill="var(--faint)"
          >
            {l.id}
          </text>
        </a>
      ))}
      <line x1="0" x2={wide} y1={tall} y2={tall} stroke="var(--ink)" />
    </svg>
  );
}
