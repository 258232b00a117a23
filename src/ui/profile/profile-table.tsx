"use client";

import { max, scaleLinear } from "d3";
import { Fragment, useState } from "react";
import type { ColumnChange } from "@/core/profile/compare.ts";
import type { ColumnProfile, Profile } from "@/core/profile/facts.ts";
import type { CodeSeen } from "@/store/loads.ts";
import type { StoredProfile } from "@/store/profiles.ts";
import { Bar } from "../kit/bar.tsx";
import { Value } from "../kit/cell.tsx";
import { grouped, isoDay, percentOf } from "../kit/words.ts";
import { notesOf } from "@/core/profile/notes.ts";
import { withPath } from "../kit/with-path.ts";

/** Where the records behind a number of the profile are shown; null where they can't be. */
export type RecordsLink = ((column: string, is: string, value?: string) => string) | null;

/** One row per column: type, fill, distinct, extremes, shapes, common values; more of it on opening. */
export function ProfileTable({
  profile,
  link = null,
  changes = null,
  seen = {},
  codes = {},
}: {
  profile: Profile;
  link?: RecordsLink;
  /** What differs from another delivery, by column. */
  changes?: { with: string; by: readonly ColumnChange[] } | null;
  seen?: Record<string, { first: { names: string }; last: { names: string }; of: number; in: number }>;
  codes?: Record<string, readonly CodeSeen[]>;
}) {
  const changed = new Map(changes?.by.map((c) => [c.column, c.changes.join("; ")]));
  const gone = changes?.by.filter((c) => c.kind === "gone") ?? [];
  const [open, setOpen] = useState<string | null>(null);
  const determines = (name: string): string[] =>
    profile.determines.filter((d) => d.column === name).map((d) => d.other);
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Columns">
      <table className="ledger tight">
        <thead>
          <tr>
            <th>column</th>
            <th>looks like</th>
            <th className="n">filled %</th>
            <th aria-label="Share filled" className="w-20" />
            <th className="n">distinct</th>
            <th>least … most</th>
            <th>shape of most</th>
            <th>commonest</th>
            <th>to look at</th>
            {changes && <th>differs</th>}
          </tr>
        </thead>
        <tbody>
          {profile.columns.map((c) => (
            <Fragment key={c.name}>
              <tr>
                <td className="font-semibold">
                  <button
                    type="button"
                    className="plain text-left"
                    aria-expanded={open === c.name}
                    onClick={() => setOpen(open === c.name ? null : c.name)}
                  >
                    {c.name}
                  </button>
                </td>
                <td className="whitespace-nowrap">{looksLike(c)}</td>
                <td className="n">
                  <Count href={c.filled < c.records ? link?.(c.name, "empty") : undefined}>
                    {percentOf(c.filled, c.records)}
                  </Count>
                </td>
                <td>
                  <FillBar column={c} />
                </td>
                <td className="n whitespace-nowrap">
                  {c.distinctError > 0 && (
                    <span
                      className="faint"
                      title={`An estimate, with a standard error of ${(c.distinctError * 100).toFixed(1)} %`}
                    >
                      about{" "}
                    </span>
                  )}
                  {grouped(c.distinct)}
                </td>
                <td className="max-w-40 truncate">
                  <span className="raw">{c.numbers ? plain(c.numbers.least) : c.least.slice(0, 18)}</span>
                  <span className="faint"> … </span>
                  <span className="raw">{c.numbers ? plain(c.numbers.most) : c.most.slice(0, 18)}</span>
                </td>
                <td className="max-w-40 truncate whitespace-nowrap">
                  {c.shapes[0] && (
                    <>
                      <span className="raw">{c.shapes[0].value.slice(0, 18)}</span>{" "}
                      <span className="faint">{percentOf(c.shapes[0].count, c.filled)} %</span>
                    </>
                  )}
                </td>
                <td className="max-w-36 truncate">
                  {(c.common[0]?.count ?? 0) > 1 && (
                    <>
                      <Count href={link?.(c.name, "value", c.common[0]!.value)}>
                        <Value text={c.common[0]!.value.slice(0, 24)} />
                      </Count>{" "}
                      <span className="faint">{grouped(c.common[0]!.count)}</span>
                    </>
                  )}
                </td>
                <td
                  className="changed max-w-48 truncate"
                  title={notesOf(c)
                    .map((n) => n.says)
                    .join(", ")}
                >
                  <Notes column={c} link={link} />
                </td>
                {changes && (
                  <td className="max-w-52 truncate" title={changed.get(c.name)}>
                    {changed.get(c.name)}
                  </td>
                )}
              </tr>
              {open === c.name && (
                <tr>
                  <td colSpan={10} className="bg-[var(--paper-bright)]">
                    <Details
                      column={c}
                      link={link}
                      determines={determines(c.name)}
                      seen={seen[c.name]}
                      codes={codes[c.name]}
                    />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
          {gone.map((c) => (
            <tr key={c.column} className="held">
              <td className="font-semibold">{c.column}</td>
              <td colSpan={9}>is in {changes!.with} and not here</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** What is to be seen until a profile is done. */
export function ProfileWaiting({ profile }: { profile: StoredProfile | null }) {
  return (
    <p className="py-4" role="status">
      {profile?.state === "running"
        ? `${grouped(profile.recordsSoFar)} records looked at, ${percentOf(profile.bytesSoFar, profile.bytesTotal) || "0"} %`
        : "Looking at every record…"}
    </p>
  );
}

function Count({ href, children }: { href?: string | undefined; children: React.ReactNode }) {
  return href ? (
    <a className="count" href={withPath(href)}>
      {children}
    </a>
  ) : (
    <>{children}</>
  );
}

function plain(n: number): string {
  return String(Number(n.toPrecision(6)));
}

/** The best type candidate in few words, with its share where not all fit. */
export function looksLike(c: ColumnProfile): string {
  if (c.filled === 0) return "empty";
  const best = c.types[0];
  if (!best || best.fits < c.filled * 0.5 || (c.numbers?.leadingZeros ?? 0) > 0) return "text";
  const words = { integer: "whole number", boolean: "yes or no", timestamp: "date and time" } as Record<string, string>;
  const word = words[best.type] ?? best.type;
  return best.fits === c.filled ? word : `${word}, ${percentOf(best.fits, c.filled)} %`;
}

/** What a steward would look at twice, each with the way to its records. */
function Notes({ column, link }: { column: ColumnProfile; link: RecordsLink }) {
  return notesOf(column).map(({ says, records }, i) => (
    <Fragment key={says}>
      {i > 0 && ", "}
      <Count href={records ? link?.(column.name, records.is, records.value) : undefined}>{says}</Count>
    </Fragment>
  ));
}

function FillBar({ column: c }: { column: ColumnProfile }) {
  const x = scaleLinear([0, Math.max(1, c.records)], [0, 80]);
  const nothing = c.blank + c.nothing.reduce((n, w) => n + w.count, 0);
  return (
    <svg
      viewBox="0 0 80 10"
      width="80"
      height="10"
      role="img"
      aria-label={`${percentOf(c.filled, c.records)} % filled`}
    >
      <rect width="80" height="10" fill="none" stroke="var(--rule)" />
      <rect width={x(c.filled)} height="10" fill="var(--grain)" />
      <rect x={x(c.filled)} width={x(nothing)} height="10" fill="var(--ochre)" />
    </svg>
  );
}

function Details({
  column: c,
  link,
  determines,
  seen,
  codes,
}: {
  column: ColumnProfile;
  link: RecordsLink;
  determines: string[];
  seen: { first: { names: string }; last: { names: string }; of: number; in: number } | undefined;
  codes: readonly CodeSeen[] | undefined;
}) {
  const n = c.numbers;
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
      {n && (
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
            {n.sampled === n.count
              ? "all values"
              : `quantiles from ${grouped(n.sampled)} of ${grouped(n.count)} values`}
          </p>
        </div>
      )}
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
      {codes && codes.length > 0 && (
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
      )}
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
