"use client";

import { max } from "d3-array";
import { scaleLinear } from "d3-scale";
import type { ColumnProfile } from "@/core/profile/facts.ts";
import type { CodeSeen } from "@/store/load-history.ts";
import { Bar } from "../kit/bar.tsx";
import { grouped, isoDay } from "../kit/words.ts";
import { notesOf } from "@/core/profile/notes.ts";
import { Count, type RecordsLink } from "./records-link.tsx";

export function plain(n: number): string {
  return String(Number(n.toPrecision(6)));
}

interface FactsOf {
  column: ColumnProfile;
  link: RecordsLink;
  determines: string[];
  seen: { first: { names: string }; last: { names: string }; of: number; in: number } | undefined;
}

/** All that a profile says of a column. */
export function Details({
  column: c,
  link,
  determines,
  seen,
  codes,
}: FactsOf & { codes: readonly CodeSeen[] | undefined }) {
  const looked = notesOf(c);
  return (
    <div className="grid grid-cols-[repeat(auto-fit,minmax(14rem,1fr))] gap-x-8 gap-y-3 px-2 py-2">
      {looked.length > 0 && (
        <div>
          <h2>To look at</h2>
          <ul className="changed">
            {looked.map(({ says, records }) => (
              <li key={says}>
                <Count href={records ? link?.(c.name, records.is, records.value) : undefined}>{says}</Count>
              </li>
            ))}
          </ul>
        </div>
      )}
      <Facts column={c} link={link} determines={determines} seen={seen} />
      {c.numbers && <AsNumber numbers={c.numbers} />}
      <div>
        <h2>Shapes</h2>
        <Bars
          rows={c.shapes
            .slice(0, 8)
            .map((s) => ({ key: s.value, label: s.value, count: s.count, href: link?.(c.name, "shape", s.value) }))}
          rest={c.otherShapes}
        />
      </div>
      <div>
        <h2>Common values{c.countError > 0 && <span> (counts may be {grouped(c.countError)} too high)</span>}</h2>
        <Bars
          rows={c.common
            .slice(0, 8)
            .map((v) => ({ key: v.value, label: v.value, count: v.count, href: link?.(c.name, "value", v.value) }))}
          rest={0}
        />
      </div>
      {codes && codes.length > 0 && <CodesSeen codes={codes} />}
      {c.rare.length > 0 && (
        <div>
          <h2>Rare values</h2>
          <Bars
            rows={c.rare
              .slice(0, 8)
              .map((v) => ({ key: v.value, label: v.value, count: v.count, href: link?.(c.name, "value", v.value) }))}
            rest={0}
          />
        </div>
      )}
    </div>
  );
}

/** How long its values are, how many are empty, and where else it was seen. */
function Facts({ column: c, link, determines, seen }: FactsOf) {
  return (
    <div>
      <h2>Length</h2>
      <p>
        {grouped(c.length.least)} to {grouped(c.length.most)} characters, {c.length.mean.toFixed(1)} on average
      </p>
      <h2 className="mt-2">Empty</h2>
      <p>
        <Count href={c.empty > 0 ? link?.(c.name, "empty") : undefined}>{grouped(c.empty)} empty</Count>,{" "}
        <Count href={c.blank > 0 ? link?.(c.name, "blank") : undefined}>{grouped(c.blank)} of spaces only</Count>
        {c.nothing.map((w) => (
          <span key={w.value}>
            , <Count href={link?.(c.name, "value", w.value)}>{grouped(w.count)}</Count> ×{" "}
            <span className="raw">{w.value}</span>
          </span>
        ))}
      </p>
      {seen && seen.of > 1 && (
        <>
          <h2 className="mt-2">Seen</h2>
          <p>
            in {seen.in} of {seen.of} deliveries that were looked at, first in {seen.first.names}, last in{" "}
            {seen.last.names}
          </p>
        </>
      )}
      {determines.length > 0 && (
        <>
          <h2 className="mt-2">Determines</h2>
          <p>{determines.join(", ")}</p>
        </>
      )}
      {c.repeats !== null && (
        <>
          <h2 className="mt-2">Repeats</h2>
          <p>
            {c.repeats === 0 ? "none: every value is given once" : `${grouped(c.repeats)} values were given before`}
          </p>
        </>
      )}
    </div>
  );
}

function AsNumber({ numbers: n }: { numbers: NonNullable<ColumnProfile["numbers"]> }) {
  return (
    <div>
      <h2>As a number</h2>
      <Bands bands={n.bands} />
      <table className="text-xs">
        <tbody>
          {(
            [
              ["least", n.least],
              ["5 %", n.quantiles[1]!],
              ["middle", n.quantiles[3]!],
              ["95 %", n.quantiles[5]!],
              ["most", n.most],
              ["mean", n.mean],
              ["spread", n.spread],
            ] as const
          ).map(([word, value]) => (
            <tr key={word}>
              <td className="pr-4 faint">{word}</td>
              <td className="text-right">{plain(value)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="faint text-xs">
        {n.sampled === n.count ? "all values" : `quantiles from ${grouped(n.sampled)} of ${grouped(n.count)} values`}
      </p>
    </div>
  );
}

/** The column's codes over all loads of the feed. */
function CodesSeen({ codes }: { codes: readonly CodeSeen[] }) {
  return (
    <div>
      <h2>Codes over all loads</h2>
      <table className="w-full text-xs">
        <thead>
          <tr className="faint">
            <th className="text-left font-normal">code</th>
            <th className="text-left font-normal">first came</th>
            <th className="text-left font-normal">last came</th>
            <th className="text-right font-normal">loads</th>
          </tr>
        </thead>
        <tbody>
          {codes.slice(0, 40).map((v) => (
            <tr key={v.value}>
              <td className="raw pr-2">{v.value}</td>
              <td className="pr-2 whitespace-nowrap">{isoDay(v.first)}</td>
              <td className="pr-2 whitespace-nowrap">{isoDay(v.last)}</td>
              <td className="text-right">{grouped(v.loads)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Bands({ bands }: { bands: readonly number[] }) {
  const y = scaleLinear([0, max(bands) ?? 1], [0, 44]);
  return (
    <svg viewBox="0 0 192 46" width="192" height="46" role="img" aria-label="How the values are spread">
      {bands.map((b, i) => (
        <rect key={i} x={i * 8} width={7} y={45 - y(b)} height={y(b)} fill="var(--grain)" />
      ))}
      <line x1="0" x2="192" y1="45.5" y2="45.5" stroke="var(--ink)" />
    </svg>
  );
}

function Bars({
  rows,
  rest,
}: {
  rows: { key: string; label: string; count: number; href?: string | undefined }[];
  rest: number;
}) {
  const x = scaleLinear([0, max(rows, (r) => r.count) ?? 1], [0, 100]);
  if (rows.length === 0) return <p className="faint">none stands out</p>;
  return (
    <table className="w-full text-xs">
      <tbody>
        {rows.map((r) => (
          <tr key={r.key}>
            <td className="max-w-40 truncate pr-2">
              <Count href={r.href}>
                <span className="raw">{r.label}</span>
              </Count>
            </td>
            <td className="w-24">
              <Bar share={x(r.count) / 100} className="h-2 text-[var(--grain)]" />
            </td>
            <td className="pl-2 text-right">{grouped(r.count)}</td>
          </tr>
        ))}
        {rest > 0 && (
          <tr>
            <td className="faint">other shapes</td>
            <td />
            <td className="pl-2 text-right">{grouped(rest)}</td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
