import { randomLcg, randomNormal, randomUniform } from "d3-random";
import { scaleLinear } from "d3-scale";
import { curveBasis, line } from "d3-shape";
import type { Stratum } from "@/core/report/strata.ts";
import { OUTCOME_CLASS, grouped, recordsHref } from "../kit/words.ts";
import { withPath } from "../kit/with-path.ts";

const WIDE = 250;
const TALL = 46;
const STEP = 60;
const LEFT = 148;
const TRAY_X = LEFT + WIDE + 48;
const TRAY_WIDE = 250;

/**
 * The sift of a load: each stage as wide as the records that leave it, what stayed behind in a tray
 * at the side, on a scale of its own. Every part leads to exactly its records.
 */
export function Sift({ load, strata }: { load: number; strata: readonly Stratum[] }) {
  const read = Math.max(1, strata[0]?.entered ?? 0);
  const x = scaleLinear().domain([0, read]).range([0, WIDE]);
  const widest = Math.max(1, ...strata.flatMap((s) => s.trays.map((t) => t.count)));
  const tray = scaleLinear().domain([0, widest]).range([0, TRAY_WIDE]);
  const anyTray = strata.some((s) => s.trays.length > 0);
  const height = strata.length * STEP + 8;
  return (
    <figure>
      <svg
        viewBox={`0 0 780 ${height}`}
        width="780"
        height={height}
        className="max-w-full"
        role="group"
        aria-label="The sift: how many records left each stage, and what stayed behind"
      >
        <Hatches />
        {strata.map((s, i) => {
          const y = i * STEP + 4;
          const top = Math.max(x(s.entered), 2);
          return (
            <g key={s.stage}>
              <text x="0" y={y + 16} fontWeight="700" fontSize="14" fill="currentColor">
                {s.stage}
              </text>
              <text x="0" y={y + 33} fontSize="12" className="faint" fill="currentColor">
                {shortened(s.note, 23)}
                <title>{s.note}</title>
              </text>
              <Layer {...{ load, y, top }} stratum={s} at={i} of={strata.length} bottom={Math.max(x(s.left), 2)} />
              {s.trays.map((t, n) => (
                <TrayBeside
                  key={t.outcome}
                  {...{ load, y }}
                  stage={s.stage}
                  tray={t}
                  place={n}
                  of={s.trays.length}
                  wide={tray(t.count)}
                  from={n > 0 ? null : LEFT + top}
                />
              ))}
            </g>
          );
        })}
      </svg>
      <figcaption className="faint text-xs">
        Strata: full width is {grouped(strata[0]?.entered ?? 0)} records.
        {anyTray && ` Trays have a scale of their own: the widest is ${grouped(widest)}.`}
      </figcaption>
    </figure>
  );
}

/** What trays are filled with, by what became of their records. */
function Hatches() {
  return (
    <defs>
      {(["held", "waiting", "merged"] as const).map((outcome) => (
        <pattern
          key={outcome}
          id={`hatch-${outcome}`}
          width="5"
          height="5"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <path d="M0 0 V5" stroke="currentColor" strokeWidth="1" className={OUTCOME_CLASS[outcome]} opacity="0.7" />
        </pattern>
      ))}
    </defs>
  );
}

/** What went through a stage: as wide at its top as what entered, at its bottom as what went on. */
function Layer({
  load,
  stratum: s,
  at,
  of,
  y,
  top,
  bottom,
}: {
  load: number;
  stratum: Stratum;
  /** Its place among the stages, and how many those are. */
  at: number;
  of: number;
  y: number;
  top: number;
  bottom: number;
}) {
  const shape = `M${LEFT} ${y} H${LEFT + top} L${LEFT + bottom} ${y + TALL} H${LEFT} Z`;
  const clip = `stratum-${load}-${at}`;
  return (
    <a
      href={withPath(recordsHref(load, { left: s.stage }))}
      aria-label={`${s.stage}: ${grouped(s.left)} of ${grouped(s.entered)} records went on. ${s.note}`}
    >
      <clipPath id={clip}>
        <path d={shape} />
      </clipPath>
      <path d={shape} fill="var(--shade)" />
      <g clipPath={`url(#${clip})`}>
        <Grain seed={at + 1} far={at / Math.max(1, of - 1)} x={LEFT} y={y} wide={Math.max(top, bottom)} />
      </g>
      <line
        x1={LEFT}
        x2={LEFT + Math.max(bottom, 8)}
        y1={y + TALL}
        y2={y + TALL}
        stroke="currentColor"
        strokeWidth="1.5"
        strokeDasharray={`${7 - at * 1.1} ${4 - at * 0.55}`}
      />
      <text
        x={LEFT + 10}
        y={y + 30}
        fontSize="16"
        fontWeight="700"
        fill="currentColor"
        stroke="var(--shade)"
        strokeWidth="4"
        paintOrder="stroke"
      >
        {grouped(s.left)}
      </text>
    </a>
  );
}

/** What stayed behind in a stage, by one outcome. */
function TrayBeside({
  load,
  stage,
  tray: t,
  place,
  of,
  y,
  wide: width,
  from,
}: {
  load: number;
  stage: string;
  tray: Stratum["trays"][number];
  /** Its place among the stage's trays, which stand side by side on the same scale, and how many those are. */
  place: number;
  of: number;
  y: number;
  wide: number;
  /** Where its records fall from; null where another tray of the stage shows that. */
  from: number | null;
}) {
  const x = TRAY_X + (place * (TRAY_WIDE + 90)) / of;
  const wide = Math.max(4, width / of);
  return (
    <a
      className={t.outcome === "left out" ? "held" : OUTCOME_CLASS[t.outcome]}
      href={withPath(recordsHref(load, { outcome: t.outcome, at: t.at ?? undefined }))}
      aria-label={`${grouped(t.count)} ${t.outcome} in ${stage}: ${t.reason}`}
    >
      {from !== null && (
        <path d={fall(from, y, x, y + TALL - 10) ?? ""} fill="none" stroke="currentColor" strokeDasharray="1.5 3" />
      )}
      <text x={x} y={y + 20} fontSize="13" fill="currentColor">
        <tspan fontWeight="700">
          {grouped(t.count)} {t.outcome}
        </tspan>
        <tspan dx="6" className="faint" fill="var(--ink)">
          {shortened(t.reason, of > 1 ? 14 : 42)}
        </tspan>
        <title>{t.reason}</title>
      </text>
      <rect
        x={x}
        y={y + 28}
        width={wide}
        height="15"
        fill={`url(#hatch-${t.outcome === "waiting" || t.outcome === "merged" ? t.outcome : "held"})`}
      />
      <path
        d={`M${x} ${y + 26} V${y + 43} H${x + wide} V${y + 26}`}
        fill="none"
        stroke="currentColor"
        strokeWidth="1.6"
      />
    </a>
  );
}

function shortened(text: string, most: number): string {
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}

/** Grain: large, mixed and unruly at the top, small, alike and aligned at the bottom. It carries no number. */
function Grain({ seed, far, x, y, wide }: { seed: number; far: number; x: number; y: number; wide: number }) {
  const source = randomLcg(seed / 17);
  const jitter = randomUniform.source(source)(-1, 1);
  const turn = randomNormal.source(source)(0, 1);
  const gap = 15 - far * 3;
  const grains = [];
  for (let row = 0; row * 12 < TALL + 6; row++) {
    for (let column = 0; column * gap < wide + gap; column++) {
      const loose = 1 - far;
      const cx = x + column * gap + 5 + jitter() * 6 * loose;
      const cy = y + row * 12 + 6 + jitter() * 5 * loose;
      const size = 2.2 + loose * (1.6 + jitter() * 1.1);
      const angle = 28 + turn() * 75 * loose;
      const odd = jitter() > 0.75 && far < 0.75;
      grains.push(
        <ellipse
          key={`${row}.${column}`}
          cx={cx.toFixed(1)}
          cy={cy.toFixed(1)}
          rx={(size * 0.48).toFixed(1)}
          ry={(size * 1.15).toFixed(1)}
          transform={`rotate(${angle.toFixed(0)} ${cx.toFixed(1)} ${cy.toFixed(1)})`}
          fill={odd ? "var(--ochre)" : far > 0.6 ? "var(--pine)" : "var(--grain)"}
          opacity={odd ? 0.55 : 0.35 + far * 0.4}
        />,
      );
    }
  }
  return <g aria-hidden="true">{grains}</g>;
}

function fall(x0: number, y0: number, x1: number, y1: number): string | null {
  return line().curve(curveBasis)([
    [x0, y0],
    [x0 + 24, y0],
    [x0 + 26, (y0 + y1) / 2],
    [x1 - 22, y1],
    [x1 - 2, y1],
  ]);
}

/** The sift in a row of a list: the widths alone. The row beside it has the numbers. */
export function MiniSift({ strata }: { strata: readonly Stratum[] | null }) {
  if (!strata || strata.length === 0) return <span className="faint">–</span>;
  const x = scaleLinear()
    .domain([0, Math.max(1, strata[0]!.entered)])
    .range([0, 92]);
  return (
    <svg width="94" height={strata.length * 4} aria-hidden="true" className="block">
      {strata.map((s, i) => (
        <path
          key={s.stage}
          d={`M0 ${i * 4} H${Math.max(1, x(s.entered))} L${Math.max(1, x(s.left))} ${i * 4 + 3} H0 Z`}
          fill={i === strata.length - 1 ? "var(--pine)" : "var(--grain)"}
        />
      ))}
    </svg>
  );
}

/** One stage of the sift, small, with its number: the way from stage to stage in the plan. */
export function StratumChip({ strata, at }: { strata: readonly Stratum[]; at: number }) {
  const x = scaleLinear()
    .domain([0, Math.max(1, strata[0]!.entered)])
    .range([0, 76]);
  const { entered, left } = strata[at]!;
  const bottom = Math.max(2, x(left));
  return (
    <svg
      width="80"
      height="30"
      role="img"
      aria-label={`${grouped(left)} records of the latest delivery left this stage`}
      className="shrink-0"
    >
      <path d={`M0 1 H${Math.max(2, x(entered))} L${bottom} 26 H0 Z`} fill="var(--shade)" />
      <line
        x1="0"
        x2={bottom}
        y1="26"
        y2="26"
        stroke="currentColor"
        strokeWidth="1.4"
        strokeDasharray={`${7 - at * 1.3} ${4 - at * 0.6}`}
      />
      <text x="7" y="18" fontSize="13" fontWeight="700" fill="currentColor">
        {grouped(left)}
      </text>
    </svg>
  );
}
