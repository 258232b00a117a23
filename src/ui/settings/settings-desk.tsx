"use client";

import { takeAwayNow } from "@/routes/store.ts";
import { expiringBy, setRetention } from "@/routes/feeds.ts";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import type { Connection } from "@/store/connections.ts";
import type { Expiring, FeedRoom, RetentionRun, Took } from "@/store/retention.ts";
import type { Retention } from "@/core/plan/retention.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { useSettled } from "../kit/use-settled.ts";
import { byteSize, counted, grouped, moment } from "../kit/words.ts";

/** What takes how much room, how long it is kept, and the connections that sources name. */
export function SettingsDesk({
  feeds,
  runs,
  disk,
  connections,
  now,
}: {
  feeds: FeedRoom[];
  runs: RetentionRun[];
  disk: { store: number; targets: number };
  connections: Connection[];
  now: string;
}) {
  const router = useRouter();
  const [edited, setEdited] = useState<string | null>(null);
  const { problem, busy, act } = useAct();
  const [asked, setAsked] = useState(false);
  const running = runs.some((r) => r.endedAt === null);
  useEffect(() => {
    if (!running && !asked) return;
    const timer = setInterval(() => router.refresh(), 1500);
    const over = setTimeout(() => setAsked(false), 10_000);
    return () => {
      clearInterval(timer);
      clearTimeout(over);
    };
  }, [running, asked, router]);
  const takeNow = async (): Promise<void> => {
    if (await act(() => ask(takeAwayNow, { body: {} }).then(() => {}))) setAsked(true);
  };
  const editing = feeds.find((f) => f.feed === edited);
  return (
    <>
      <h1>Settings</h1>
      <section className="mt-3" aria-label="Room">
        <div className="flex items-baseline justify-between gap-6">
          <p>
            <b>Room.</b> The store takes {byteSize(disk.store)} on disk, targets and rows for undos{" "}
            {byteSize(disk.targets)}. What has expired goes at night; room that it leaves is used again.
          </p>
          <button
            type="button"
            className="btn btn-line shrink-0"
            disabled={running || asked || busy}
            onClick={() => void takeNow()}
          >
            {running || asked ? "Taking away…" : "Take away now what has expired"}
          </button>
        </div>
        {problem && <ProblemNote problem={problem} />}
        {feeds.length === 0 ? (
          <p className="mt-3">There are no feeds yet; each will stand here with what is kept of it.</p>
        ) : (
          <RoomTable feeds={feeds} edited={edited} edit={setEdited} />
        )}
        {editing && (
          <RetentionForm
            key={editing.feed}
            room={editing}
            leave={() => setEdited(null)}
            saved={() => {
              setEdited(null);
              router.refresh();
            }}
          />
        )}
      </section>
      <div className="mt-6 grid grid-cols-1 gap-8 lg:grid-cols-2">
        <RunList runs={runs} now={now} />
        <section aria-label="Connections">
          <h2>Connections</h2>
          {connections.length === 0 ? (
            <p className="py-1">
              None yet. A source that needs a password names one; it is made from a shell with{" "}
              <code className="raw">sieve connection put NAME</code>, so that no page ever has the password.
            </p>
          ) : (
            <table className="ledger">
              <tbody>
                {connections.map((c) => (
                  <tr key={`${c.from} ${c.name}`}>
                    <td className="font-semibold">{c.name}</td>
                    <td>{c.kind === "database" ? "a database" : "an address"}</td>
                    <td className="faint">
                      {c.from === "environment" ? "from the environment" : "encrypted in the store"}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </section>
      </div>
    </>
  );
}

const PARTS = [
  ["bytes", "deliveries"],
  ["ledger", "ledger"],
  ["quarantine", "quarantine"],
  ["undo", "rows for undos"],
  ["target", "target"],
] as const;

function RoomTable({
  feeds,
  edited,
  edit,
}: {
  feeds: FeedRoom[];
  edited: string | null;
  edit: (feed: string | null) => void;
}) {
  return (
    <table className="ledger mt-3">
      <thead>
        <tr>
          <th rowSpan={2}>feed</th>
          <th colSpan={PARTS.length} className="text-center!">
            takes
          </th>
          <th colSpan={4} className="text-center!">
            is kept, in days
          </th>
          <th rowSpan={2} aria-label="Change" />
        </tr>
        <tr>
          {PARTS.map(([part, title]) => (
            <th key={part} className="n">
              {title}
            </th>
          ))}
          <th className="n">deliveries</th>
          <th className="n">ledger</th>
          <th className="n">settled records</th>
          <th className="n">undos</th>
        </tr>
      </thead>
      <tbody>
        {feeds.map((f) => (
          <tr key={f.feed} aria-selected={f.feed === edited}>
            <td className="max-w-64 truncate" title={f.title}>
              <Link className="font-semibold underline" href={`/feeds/${f.feed}`}>
                {f.title}
              </Link>
            </td>
            {PARTS.map(([part]) => (
              <td key={part} className="n whitespace-nowrap">
                {f[part] === 0 ? "" : byteSize(f[part])}
              </td>
            ))}
            {([f.keep.bytesDays, f.keep.ledgerDays, f.keep.settledDays] as const).map((d, i) => (
              <td key={i} className="n whitespace-nowrap">
                {d === null ? <span className="faint">for ever</span> : grouped(d)}
              </td>
            ))}
            <td className="n whitespace-nowrap">
              last {f.keep.undoLoads} <span className="faint">{f.keep.undoLoads === 1 ? "load" : "loads"}</span>
            </td>
            <td className="text-right">
              <button
                type="button"
                className="plain"
                aria-label={`Change how long what is kept of ${f.title}`}
                onClick={() => edit(f.feed === edited ? null : f.feed)}
              >
                Change
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const KEPT = [
  ["bytesDays", "Bytes of deliveries, after they came"],
  ["ledgerDays", "What is known of single records, after the load"],
  ["settledDays", "What was in a held record, after it was settled"],
] as const;

/** What stands in the form: days as they are typed, empty for ever. */
type Typed = Record<(typeof KEPT)[number][0] | "undoLoads", string>;

/** The setting that was typed; null where it is none. */
function typedRetention(typed: Typed): Retention | null {
  const days = (text: string): number | null | undefined =>
    text.trim() === "" ? null : /^\d{1,5}$/.test(text.trim()) && Number(text) >= 1 ? Number(text) : undefined;
  const [bytesDays, ledgerDays, settledDays] = KEPT.map(([k]) => days(typed[k]));
  const undoLoads = days(typed.undoLoads);
  if (bytesDays === undefined || ledgerDays === undefined || settledDays === undefined) return null;
  if (undoLoads === undefined || undoLoads === null || undoLoads > 100) return null;
  return { bytesDays, ledgerDays, settledDays, undoLoads };
}

function RetentionForm({
  room: { feed, title, keep },
  leave,
  saved,
}: {
  room: FeedRoom;
  leave: () => void;
  saved: () => void;
}) {
  const [typed, setTyped] = useState<Typed>({
    bytesDays: String(keep.bytesDays ?? ""),
    ledgerDays: String(keep.ledgerDays ?? ""),
    settledDays: String(keep.settledDays ?? ""),
    undoLoads: String(keep.undoLoads),
  });
  const wanted = typedRetention(typed);
  const settled = useSettled(JSON.stringify(wanted));
  const { data: expiring, error } = useQuery<Expiring>({
    queryKey: ["expiring", feed, settled],
    queryFn: ({ signal }) => ask(expiringBy, { params: { feed }, body: JSON.parse(settled) as Retention, signal }),
    enabled: settled !== "null",
    placeholderData: keepPreviousData,
  });
  const { problem, busy, act } = useAct();
  const save = async (): Promise<void> => {
    if (wanted && (await act(() => ask(setRetention, { params: { feed }, body: wanted }).then(() => {})))) saved();
  };
  const line = (name: keyof Typed, label: string, unit: string) => (
    <div className="contents" key={name}>
      <label htmlFor={`keep-${name}`}>{label}</label>
      <span className="flex items-center gap-2">
        <input
          id={`keep-${name}`}
          inputMode="numeric"
          className="input input-sm max-w-24 text-right"
          value={typed[name]}
          placeholder={name === "undoLoads" ? "" : "for ever"}
          onChange={(e) => setTyped({ ...typed, [name]: e.target.value })}
        />
        {unit}
      </span>
    </div>
  );
  return (
    <form
      aria-label={`How long what is kept of ${title}`}
      className="mt-3 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-4 py-3"
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <b>{title}</b>
      <div className="mt-2 grid max-w-3xl grid-cols-[22rem_1fr] items-center gap-x-3 gap-y-1.5">
        {KEPT.map(([name, label]) => line(name, label, "days"))}
        {line("undoLoads", "Loads that can be undone, the latest", "loads")}
      </div>
      <p className="mt-2" role="status">
        {wanted === null ? (
          <span className="held">
            Days are a number from 1 on, or nothing for ever; loads are a number from 1 to 100.
          </span>
        ) : expiring ? (
          expiringWords(expiring)
        ) : (
          "…"
        )}
      </p>
      <p className="faint">
        Records that are still held or wait for a decision, and stopped loads, keep all that they need. Balances,
        reports and who did what are always kept.
      </p>
      {(problem ?? error) && <ProblemNote problem={problem ?? problemOf(error)} />}
      <div className="mt-2 flex gap-3">
        <button type="submit" className="btn btn-primary" disabled={wanted === null || busy}>
          Keep it so
        </button>
        <button type="button" className="plain" onClick={leave}>
          Leave it
        </button>
      </div>
    </form>
  );
}

/** What the next run takes, in words. */
function expiringWords({ files, bytes, loads, records, held }: Expiring): string {
  const parts = [
    files > 0 ? `the bytes of ${counted(files, "file")} (${byteSize(bytes)})` : "",
    loads > 0 ? `the detail of ${counted(loads, "load")} with ${counted(records, "record")}` : "",
    held > 0 ? `what was in ${counted(held, "settled record")}` : "",
  ].filter((x) => x !== "");
  return parts.length === 0
    ? "Nothing of it expires now."
    : `In the next run go ${parts.join(", ")}. They do not come back.`;
}

function tookWords(took: Took): string {
  const { uploads, writings } = took;
  const parts = [
    took.files > 0 ? `${counted(took.files, "file")}, ${byteSize(took.bytes)}` : "",
    took.loads > 0 ? `detail of ${counted(took.loads, "load")}` : "",
    took.held > 0 ? counted(took.held, "settled record") : "",
    writings > 0 ? `rows of ${counted(writings, "writing")}` : "",
    uploads > 0 ? counted(uploads, "abandoned upload") : "",
  ].filter((x) => x !== "");
  return parts.join("; ") || "nothing had expired";
}

function RunList({ runs, now }: { runs: RetentionRun[]; now: string }) {
  return (
    <section aria-label="What was taken away">
      <h2>What was taken away</h2>
      {runs.length === 0 ? (
        <p className="py-1">Nothing yet. Each night what has expired goes, and this says what that was.</p>
      ) : (
        <table className="ledger">
          <tbody>
            {runs.map((r) => (
              <tr key={r.id}>
                <td className="whitespace-nowrap">{moment(r.beganAt, new Date(now))}</td>
                <td className="faint whitespace-nowrap">{r.by}</td>
                <td>
                  {r.endedAt === null ? "under way" : tookWords(r.took)}
                  {r.error && <span className="held"> It broke off: {r.error.message}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
