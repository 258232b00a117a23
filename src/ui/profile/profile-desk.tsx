"use client";

import { useRouter } from "next/navigation";
import { useMemo, useState } from "react";
import { compareProfiles } from "@/core/profile/compare.ts";
import type { Profile } from "@/core/profile/facts.ts";
import type { ReadSection } from "@/core/plan/document.ts";
import type { CodeSeen } from "@/store/load-history.ts";
import { problemFrom } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { ProfileTable, ProfileWaiting } from "./profile-table.tsx";
import { useProfile } from "./use-profile.ts";
import { counted, grouped } from "../kit/words.ts";

export interface EarlierProfile {
  delivery: number;
  names: string;
}

/** The profile of a delivery, with what is different from another delivery of the feed. */
export function ProfileDesk({
  delivery,
  read,
  earlier,
  compared,
  seen,
  codes,
}: {
  delivery: number;
  read: ReadSection | null;
  earlier: EarlierProfile[];
  compared: (EarlierProfile & { document: Profile }) | null;
  seen: Record<string, { first: EarlierProfile; last: EarlierProfile; of: number; in: number }>;
  /** By column: when each value of the code field that it meets first and last came. */
  codes: Record<string, readonly CodeSeen[]>;
}) {
  const router = useRouter();
  const { profile, problem } = useProfile(delivery, read);
  const done = profile?.state === "done" ? profile.document : null;
  const changes = useMemo(() => (done && compared ? compareProfiles(compared.document, done) : []), [done, compared]);
  const differ = changes.filter((c) => c.changes.length > 0);
  if (problem) return <ProblemNote problem={problem} />;
  if (profile?.error) return <ProblemNote problem={problemFrom(profile.error)} />;
  if (!done) {
    return <ProfileWaiting profile={profile} />;
  }
  return (
    <>
      <div className="my-3 flex flex-wrap items-center justify-between gap-4">
        <ProfileInWords profile={done} compared={compared?.names ?? null} differ={differ.length} />
        <div className="flex items-center gap-6">
          {earlier.length > 0 && (
            <label className="flex items-center gap-2 whitespace-nowrap">
              beside
              <select
                className="select select-sm w-56 text-sm"
                value={compared?.delivery ?? ""}
                onChange={(e) => router.push(`/deliveries/${delivery}/profile?with=${e.target.value}`)}
              >
                {!compared && <option value="">another delivery</option>}
                {earlier.map((e) => (
                  <option key={e.delivery} value={e.delivery}>
                    {e.names}
                  </option>
                ))}
              </select>
            </label>
          )}
          <FindValue delivery={delivery} columns={done.columns.map((c) => c.name)} />
        </div>
      </div>
      <ProfileTable
        profile={done}
        changes={compared ? { with: compared.names, by: changes } : null}
        seen={seen}
        codes={codes}
        link={(c, is, value) =>
          `/deliveries/${delivery}/records?${new URLSearchParams({ column: c, is, ...(value === undefined ? {} : { value }) })}`
        }
      />
      {done.determines.length > 0 && (
        <p className="faint mt-3">
          In the first {grouped(done.compared)} records{" "}
          {done.determines
            .slice(0, 6)
            .map((d) => `${d.column} determines ${d.other}`)
            .join("; ")}
          .
        </p>
      )}
    </>
  );
}

/** What a delivery is as a whole. */
function ProfileInWords({
  profile,
  compared,
  differ,
}: {
  profile: Profile;
  /** The names of the delivery that it is compared with; null where it is with none. */
  compared: string | null;
  /** Columns that differ from that one. */
  differ: number;
}) {
  const { duplicates } = profile;
  return (
    <p>
      <b>{counted(profile.records, "record")}</b>, {counted(profile.columns.length, "column")}
      {profile.unreadable > 0 && <span className="held">, {grouped(profile.unreadable)} can't be read</span>}
      {duplicates && duplicates.count > 0 && (
        <span className="changed">
          , {grouped(duplicates.count)} the same as an earlier one (record{" "}
          {profile
            .duplicates!.some.slice(0, 2)
            .map((d) => `${grouped(d.record)} as ${grouped(d.of)}`)
            .join(", ")}
          {duplicates.count > 2 && ", …"})
        </span>
      )}
      {compared !== null && (
        <span className="changed">
          {differ === 0 ? ", as in " : `, ${counted(differ, "column")} differ${differ === 1 ? "s" : ""} from `}
          {compared}
        </span>
      )}
    </p>
  );
}

/** Leads to the records that have a value in a column. */
function FindValue({ delivery, columns }: { delivery: number; columns: readonly string[] }) {
  const router = useRouter();
  const [column, setColumn] = useState(columns[0] ?? "");
  const [sought, setSought] = useState("");
  const search = (event: React.FormEvent): void => {
    event.preventDefault();
    router.push(`/deliveries/${delivery}/records?${new URLSearchParams({ column, is: "has", value: sought })}`);
  };
  return (
    <form onSubmit={search} className="flex items-center gap-2">
      <label htmlFor="profile-value" className="whitespace-nowrap">
        find
      </label>
      <input
        id="profile-value"
        className="input input-sm w-36 text-sm"
        value={sought}
        onChange={(e) => setSought(e.target.value)}
        placeholder="a value"
      />
      <label htmlFor="profile-column">in</label>
      <select
        id="profile-column"
        className="select select-sm w-40 text-sm"
        value={column}
        onChange={(e) => setColumn(e.target.value)}
      >
        {columns.map((c) => (
          <option key={c}>{c}</option>
        ))}
      </select>
      <button type="submit" className="btn btn-line btn-sm" disabled={sought === ""}>
        Find records
      </button>
    </form>
  );
}
