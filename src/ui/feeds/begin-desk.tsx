"use client";

import { useAct } from "../kit/use-act.ts";
import { savePlan } from "@/routes/feeds.ts";
import { loadDelivery, previewFiles } from "@/routes/deliveries.ts";
import { useRouter } from "next/navigation";
import { useEffect, useMemo, useState } from "react";
import type { ReadSection } from "@/core/plan/document.ts";
import { propose, withoutReasons } from "@/core/profile/propose.ts";
import { lastingReadOf } from "@/core/profile/lasting-read.ts";
import type { Reason } from "@/core/profile/reason.ts";
import { doubtWords } from "@/core/read/doubt.ts";
import type { Doubt, ReadOptions, ReadSettings } from "@/core/read/part.ts";
import { FORMAT_SETTINGS } from "@/core/read/settings.ts";
import type { PartPreview } from "@/engine/look/preview.ts";
import { ask, problemFrom, problemOf } from "../kit/api.ts";
import { Value } from "../kit/cell.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { ProfileTable, ProfileWaiting } from "../profile/profile-table.tsx";
import { ReadForm } from "../plan/read/read-form.tsx";
import { KindsOfFiles } from "./kinds-of-files.tsx";
import { useUpload } from "../kit/uploads.ts";
import { useProfile } from "../profile/use-profile.ts";
import { counted, grouped } from "../kit/words.ts";

/** How often to look whether enough of a file has arrived. */
const ASK_MS = 250;
/** How far a packed file may unpack once a person has said that it is meant. */
const UNPACKED_MB = 2000;

type View = "records" | "columns" | "contract";

/**
 * From files that nobody knows yet to a feed: what they are, what is in them, and a contract
 * proposed line by line. Every guess is shown with its evidence and can be changed.
 */
export function BeginDesk({
  feed,
  delivery,
}: {
  feed: { name: string; title: string };
  delivery: { id: number; names: string; bytes: number };
}) {
  const router = useRouter();
  const [settings, setSettings] = useState<ReadSettings>({});
  const [parts, setParts] = useState<PartPreview[] | null>(null);
  const [shown, setShown] = useState(0);
  const [view, setView] = useState<View>("records");
  const { busy, problem, setProblem, act } = useAct();
  /** Lines of the proposal that a person has decided otherwise than they stand: taken out, or, where it has to be asked, put in. */
  const [turned, setTurned] = useState<ReadonlySet<Reason>>(new Set());
  const part = parts?.[Math.min(shown, (parts?.length ?? 1) - 1)];
  const upload = useUpload(delivery.id);
  const arriving = upload?.state === "sending";
  const names = delivery.names || upload?.names || "";

  // While files are still arriving, what has come of them is enough to show the first records.
  useEffect(() => {
    const stop = new AbortController();
    let timer: ReturnType<typeof setTimeout>;
    const look = async (): Promise<void> => {
      try {
        const found = await ask(previewFiles, {
          params: { id: delivery.id },
          body: { read: settings },
          signal: stop.signal,
        });
        const readable = found.parts.filter((p) => p.rows.length > 0);
        if (arriving && readable.length === 0) timer = setTimeout(() => void look(), ASK_MS);
        else setParts(arriving ? readable.map((p) => ({ ...p, error: null })) : found.parts);
        setProblem(null);
      } catch (error) {
        if ((error as Error).name !== "AbortError") setProblem(problemOf(error));
      }
    };
    void look();
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  }, [delivery.id, settings, arriving, setProblem]);

  // How the whole delivery is read: as its parts were, when they are of one format.
  const read = useMemo((): ReadSection | undefined => {
    const first = parts?.find((p) => p.error === null || p.rows.length > 0);
    if (!first || arriving || parts!.some((p) => p.error !== null)) return undefined;
    const sheets =
      "sheets" in FORMAT_SETTINGS[first.read.as].settings ? parts!.flatMap((p) => p.read.sheets ?? []) : undefined;
    return {
      ...lastingReadOf(
        parts!.map((p) => p.read),
        settings,
      ),
      ...(sheets ? { sheets: [...new Set(sheets)] } : {}),
    };
  }, [parts, settings, arriving]);
  const { profile, problem: profileProblem } = useProfile(delivery.id, read);
  const done = profile?.state === "done" ? profile.document : null;
  const proposal = useMemo(
    () => (done && read ? propose(done, { feed: feed.name, read }) : null),
    [done, read, feed.name],
  );
  const rejected = useMemo(
    () => new Set(proposal?.reasons.filter((r) => (r.ask ?? false) !== turned.has(r))),
    [proposal, turned],
  );
  const plan = useMemo(() => (proposal ? withoutReasons(proposal, rejected) : null), [proposal, rejected]);

  const make = async (load: boolean): Promise<void> => {
    if (!plan) return;
    await act(
      async () => {
        await ask(savePlan, {
          params: { feed: feed.name },
          body: { document: plan, note: `proposed from ${names}`.slice(0, 500) },
        });
        if (!load) {
          router.push(`/feeds/${feed.name}/plan`);
          return;
        }
        const asked = await ask(loadDelivery, { params: { id: delivery.id }, body: { again: false } });
        router.push(`/loads/${asked.load}`);
      },
      { leaves: true },
    );
  };

  const tab = (name: View, text: string) => (
    <button
      type="button"
      role="tab"
      aria-selected={view === name}
      className={`cursor-pointer border-b-4 px-1 pb-0.5 ${view === name ? "border-[var(--pine)] font-bold" : "border-transparent faint"}`}
      onClick={() => setView(name)}
    >
      {text}
    </button>
  );
  const lines = proposal?.reasons ?? [];
  const doubtful = parts?.find((p) => p.doubts.length > 0);
  return (
    <>
      <div className="flex items-end justify-between border-b border-[var(--ink)] pb-3">
        <div>
          <p className="faint">
            A new feed: {feed.name}, from {names}, {grouped(delivery.bytes || upload?.bytes || 0)} bytes
          </p>
          <h1>{feed.title}</h1>
        </div>
        <div className="flex gap-2">
          <button type="button" className="btn btn-line" disabled={!plan || busy} onClick={() => void make(false)}>
            Save the plan and open it
          </button>
          <button
            type="button"
            className="btn btn-primary"
            disabled={!plan || busy || doubtful !== undefined}
            title={doubtful && `${doubtful.name}: ${doubtWords(doubtful.doubts[0]!)}. Say which first.`}
            onClick={() => void make(true)}
          >
            {done ? `Make the feed and load ${counted(done.records, "record")}` : "Make the feed and load"}
          </button>
        </div>
      </div>
      {arriving && (
        <p role="status" className="mt-2 flex items-center gap-3">
          <progress className="progress w-60" value={upload.sent} max={Math.max(1, upload.bytes)} />
          {grouped(Math.round(upload.sent / 1e6))} of {grouped(Math.round(upload.bytes / 1e6))} MB sent. What has
          arrived is shown; stay on these pages until all has.
        </p>
      )}
      {upload?.problem && <ProblemNote problem={upload.problem} />}
      {(problem ?? profileProblem) && <ProblemNote problem={(problem ?? profileProblem)!} />}
      {profile?.state === "failed" && profile.error && <ProblemNote problem={problemFrom(profile.error)} />}
      {!arriving && (
        <KindsOfFiles
          delivery={delivery.id}
          parts={parts ?? []}
          done={() => {
            setParts(null);
            setShown(0);
            setSettings({});
            router.refresh();
          }}
        />
      )}
      <div role="tablist" aria-label="Views" className="mt-3 mb-3 flex gap-5">
        {tab("records", "First records")}
        {tab(
          "columns",
          done ? `${counted(done.columns.length, "column")} of all ${grouped(done.records)} records` : "Columns",
        )}
        {tab("contract", proposal ? `Contract, ${counted(lines.length - rejected.size, "line")}` : "Contract")}
      </div>
      <div className={view === "records" ? "grid grid-cols-1 gap-8 lg:grid-cols-[24rem_1fr]" : ""}>
        <section aria-label="How it is read" hidden={view !== "records"}>
          <h2 className="mb-2">
            {parts === null ? "Looking at the beginning…" : counted(parts.length, "part")}
            {parts && parts.length > 1 && ", each read by itself"}
          </h2>
          {parts && parts.length > 1 && (
            <ul className="mb-3 max-h-40 overflow-auto border-y border-[var(--rule)]">
              {parts.map((p, i) => (
                <li key={i}>
                  <button
                    type="button"
                    className={`w-full cursor-pointer truncate px-1 text-left ${i === shown ? "bg-[var(--shade)] font-semibold" : ""}`}
                    aria-pressed={i === shown}
                    onClick={() => setShown(i)}
                  >
                    {p.name}{" "}
                    <span className="faint">{p.error ? "can't be read" : counted(p.columns.length, "column")}</span>
                  </button>
                </li>
              ))}
            </ul>
          )}
          {part && (
            <ReadForm
              read={part.read}
              evidence={part.evidence}
              others={part.others}
              arrays={part.arrays}
              set={(next) => {
                setTurned(new Set());
                setSettings(changed(part.read, next, settings));
              }}
            />
          )}
          {Object.keys(settings).length > 0 && (
            <button type="button" className="plain mt-3" onClick={() => setSettings({})}>
              Guess everything again
            </button>
          )}
        </section>
        <section className="min-w-0">
          {part?.error && (
            <ProblemNote problem={problemFrom(part.error)}>
              {part.rows.length > 0 && (
                <p className="faint">What could be read before is shown below, and is not loaded.</p>
              )}
              {part.error.code === "other-kind" && (
                <button
                  type="button"
                  className="btn btn-sm mt-1"
                  onClick={() => setSettings({ ...settings, as: "delimited" })}
                >
                  It is meant: read it as delimited text
                </button>
              )}
              {part.error.code === "unpacks-too-far" && (
                <button
                  type="button"
                  className="btn btn-sm mt-1"
                  onClick={() => setSettings({ ...settings, unpacked_mb: UNPACKED_MB })}
                >
                  It is meant: read up to {grouped(UNPACKED_MB)} MB
                </button>
              )}
            </ProblemNote>
          )}
          {view === "records" &&
            part?.doubts.map((doubt) => (
              <DoubtAsked
                key={doubt.setting}
                doubt={doubt}
                set={(value) => {
                  setTurned(new Set());
                  setSettings({ ...settings, [doubt.setting]: value });
                }}
              />
            ))}
          {view === "records" && part && <FirstRecords part={part} />}
          {view !== "records" &&
            !done &&
            !profile?.error &&
            (read === undefined && profile?.state !== "running" ? (
              <p className="py-4">This can be looked at once the files can be read.</p>
            ) : (
              <ProfileWaiting profile={profile} />
            ))}
          {view === "columns" && done && <ProfileTable profile={done} />}
          {view === "contract" && proposal && (
            <p className="mb-2">
              {counted(plan!.contract.fields.length, "field")} into the table <b>target.{plan!.load.target}</b>,{" "}
              {plan!.load.key.length > 0 ? `one record for each ${plan!.load.key.join(", ")}` : "without a key"},{" "}
              {counted(plan!.cleanse.length, "step")} of cleansing. Take a line out here, or change any of it in the
              plan later.
            </p>
          )}
          {view === "contract" && proposal && (
            <table className="ledger tight">
              <thead>
                <tr>
                  <th>take</th>
                  <th>field</th>
                  <th>what is proposed</th>
                  <th>what speaks for it</th>
                </tr>
              </thead>
              <tbody>
                {lines.map((line, i) => (
                  <tr key={i} className={rejected.has(line) ? (line.ask ? "faint" : "faint line-through") : ""}>
                    <td>
                      <input
                        type="checkbox"
                        aria-label={`${line.field}: ${line.says}`}
                        checked={!rejected.has(line)}
                        onChange={() => {
                          const next = new Set(turned);
                          if (!next.delete(line)) next.add(line);
                          setTurned(next);
                        }}
                      />
                    </td>
                    <td className="font-semibold">{lines[i - 1]?.field === line.field ? "" : line.field}</td>
                    <td className="max-w-72 truncate" title={line.says}>
                      {line.says}
                    </td>
                    <td className="faint">{line.why}</td>
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

/** The settings that a person has made: what differs from what was found, and what was set before. */
function changed(found: ReadOptions, next: ReadOptions, before: ReadSettings): ReadSettings {
  if (next.as !== found.as) return { as: next.as };
  const settings: Record<string, unknown> = { ...before };
  for (const key of new Set([...Object.keys(found), ...Object.keys(next)])) {
    const [a, b] = [found, next].map((o) => (o as unknown as Record<string, unknown>)[key]);
    if (JSON.stringify(a) === JSON.stringify(b)) continue;
    if (b === undefined) delete settings[key];
    else settings[key] = b;
  }
  return settings as ReadSettings;
}

const ASKED: Record<Doubt["setting"], string> = {
  encoding: "The same bytes could be either of these. Which are the words that were written?",
  header: "Nothing tells whether the first line names the columns or is a record. Which is it?",
  below: "Nothing tells whether the line below the names says units or types, or is a record. Which is it?",
  skip_end: "Nothing tells whether the last line is a record. Which is it?",
};

/** A guess that could as well be another: what both make of the same bytes, for a person to say which is right. */
function DoubtAsked({ doubt, set }: { doubt: Doubt; set: (value: string | boolean | number) => void }) {
  return (
    <section aria-label={`Which ${doubt.setting} it is`} className="mb-3 border-l-4 border-[var(--ochre)] pl-3">
      <p>{ASKED[doubt.setting]}</p>
      <ul className="mt-1 grid gap-1">
        {doubt.readings.map(({ value, says, shows }) => (
          <li key={String(value)} className="flex flex-wrap items-baseline gap-x-3">
            <button type="button" className="btn btn-line btn-sm" onClick={() => set(value)}>
              {says}
            </button>
            {shows.map((text, i) => (
              <span key={i} className="font-semibold">
                {text}
              </span>
            ))}
          </li>
        ))}
      </ul>
      <p className="faint mt-1 text-sm">
        {doubt.setting === "encoding" && "Neither? Choose the encoding beside. "}Until it is said, nothing is loaded.
      </p>
    </section>
  );
}

function FirstRecords({ part }: { part: PartPreview }) {
  if (part.rows.length === 0) return <p className="py-4">{part.error ? "" : "There are no records in it."}</p>;
  return (
    <div
      tabIndex={0}
      role="region"
      aria-label="First records"
      className="max-h-[calc(100dvh-13rem)] overflow-auto border-b border-[var(--ink)]"
    >
      <table className="ledger tight rows">
        <thead className="sticky top-0 bg-[var(--paper)]">
          <tr>
            <th className="n">line</th>
            {part.columns.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {part.rows.map((row, i) => (
            <tr key={i}>
              <td className="n faint">{grouped(row.line)}</td>
              {row.cells ? (
                part.columns.map((c, k) => (
                  <td key={c} className="max-w-56 truncate">
                    <Value text={row.cells![k] ?? ""} />
                  </td>
                ))
              ) : (
                <td colSpan={part.columns.length} className="held max-w-md truncate">
                  can't be read: <span className="raw">{row.raw}</span>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
