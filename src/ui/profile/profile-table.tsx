"use client";

import { scaleLinear } from "d3-scale";
import { Fragment, useState } from "react";
import type { ColumnChange } from "@/core/profile/compare.ts";
import type { ColumnProfile, Profile } from "@/core/profile/facts.ts";
import type { CodeSeen } from "@/store/load-history.ts";
import type { StoredProfile } from "@/store/profiles.ts";
import { Value } from "../kit/cell.tsx";
import { grouped, percentOf } from "../kit/words.ts";
import { notesOf } from "@/core/profile/notes.ts";
import { Details, plain } from "./column-details.tsx";
import { Count, type RecordsLink } from "./records-link.tsx";

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
              <ColumnRow
                column={c}
                link={link}
                open={open === c.name}
                turn={() => setOpen(open === c.name ? null : c.name)}
                differs={changes ? (changed.get(c.name) ?? "") : null}
              />
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

/** What a column is, in one row. */
function ColumnRow({
  column: c,
  link,
  open,
  turn,
  differs,
}: {
  column: ColumnProfile;
  link: RecordsLink;
  open: boolean;
  turn: () => void;
  /** What differs from another delivery; null where none is compared. */
  differs: string | null;
}) {
  const [shape] = c.shapes;
  const [common] = c.common;
  return (
    <tr>
      <td className="font-semibold">
        <button type="button" className="plain text-left" aria-expanded={open} onClick={turn}>
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
        {shape && (
          <>
            <span className="raw">{shape.value.slice(0, 18)}</span>{" "}
            <span className="faint">{percentOf(shape.count, c.filled)} %</span>
          </>
        )}
      </td>
      <td className="max-w-36 truncate">
        {common && common.count > 1 && (
          <>
            <Count href={link?.(c.name, "value", common.value)}>
              <Value text={common.value.slice(0, 24)} />
            </Count>{" "}
            <span className="faint">{grouped(common.count)}</span>
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
      {differs !== null && (
        <td className="max-w-52 truncate" title={differs === "" ? undefined : differs}>
          {differs}
        </td>
      )}
    </tr>
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

/** The best type candidate in few words, with its share where not all fit. */
export function looksLike(c: ColumnProfile): string {
  if (c.filled === 0) return "empty";
  const best = c.types[0];
  if (!best || best.fits < c.filled * 0.5 || (c.numbers?.leadingZeros ?? 0) > 0) return "text";
  const words = {
    integer: "whole number",
    boolean: "yes or no",
    timestamp: "date and time",
    "short year": "date, year in two digits",
  } as Record<string, string>;
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
