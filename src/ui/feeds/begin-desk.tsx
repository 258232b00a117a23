"use client";

import { useRouter } from "next/navigation";
import { useMemo, useState } from "react";
import type { Plan } from "@/core/plan/document.ts";
import type { Reason } from "@/core/profile/reason.ts";
import { doubtWords } from "@/core/read/doubt.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import type { PartPreview } from "@/engine/look/preview.ts";
import { loadDelivery } from "@/routes/deliveries.ts";
import { savePlan } from "@/routes/feeds.ts";
import { ask, problemFrom } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useUpload } from "../kit/uploads.ts";
import { useAct } from "../kit/use-act.ts";
import { counted, grouped } from "../kit/words.ts";
import { ReadForm } from "../plan/read/read-form.tsx";
import { ProfileTable, ProfileWaiting } from "../profile/profile-table.tsx";
import { useProfile } from "../profile/use-profile.ts";
import { DoubtAsked, FirstRecords } from "./first-records.tsx";
import { KindsOfFiles } from "./kinds-of-files.tsx";
import { changed, readOfAll, useFirstLook, useProposal } from "./use-begin.ts";

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
  const [shown, setShown] = useState(0);
  const [view, setView] = useState<View>("records");
  const { busy, problem, act } = useAct();
  const upload = useUpload(delivery.id);
  const arriving = upload?.state === "sending";
  const names = delivery.names || upload?.names || "";
  const look = useFirstLook(delivery.id, settings, arriving);
  const { parts } = look;
  const part = parts?.[Math.min(shown, parts.length - 1)];
  const read = useMemo(() => (arriving ? undefined : readOfAll(parts, settings)), [parts, settings, arriving]);
  const { profile, problem: profileProblem } = useProfile(delivery.id, read);
  const done = profile?.state === "done" ? profile.document : null;
  const { proposed, turn, asItStands } = useProposal(done, feed.name, read);
  const put = (next: ReadSettings): void => {
    asItStands();
    setSettings(next);
  };
  const wrong = problem ?? look.problem ?? profileProblem;

  const make = async (load: boolean): Promise<void> => {
    if (!proposed) return;
    await act(
      async () => {
        await ask(savePlan, {
          params: { feed: feed.name },
          body: { document: proposed.plan, note: `proposed from ${names}`.slice(0, 500) },
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

  const doubtful = parts?.find((p) => p.doubts.length > 0);
  const bytes = delivery.bytes || upload?.bytes || 0;
  const titles: Record<View, string> = {
    records: "First records",
    columns: done ? `${counted(done.columns.length, "column")} of all ${grouped(done.records)} records` : "Columns",
    contract: proposed ? `Contract, ${counted(proposed.lines.length - proposed.rejected.size, "line")}` : "Contract",
  };
  return (
    <>
      <BeginHeading
        about={`A new feed: ${feed.name}, from ${names}, ${counted(bytes, "byte")}`}
        title={feed.title}
        records={done?.records ?? null}
        ready={proposed !== null && !busy}
        doubt={doubtful && `${doubtful.name}: ${doubtWords(doubtful.doubts[0]!)}. Say which first.`}
        make={(load) => void make(load)}
      />
      {arriving && <Arriving sent={upload.sent} bytes={upload.bytes} />}
      {upload?.problem && <ProblemNote problem={upload.problem} />}
      {wrong && <ProblemNote problem={wrong} />}
      {profile?.state === "failed" && profile.error && <ProblemNote problem={problemFrom(profile.error)} />}
      {!arriving && (
        <KindsOfFiles
          delivery={delivery.id}
          parts={parts ?? []}
          done={() => {
            setShown(0);
            setSettings({});
            look.again();
            router.refresh();
          }}
        />
      )}
      <div role="tablist" aria-label="Views" className="mt-3 mb-3 flex gap-5">
        {(["records", "columns", "contract"] as const).map((v) => (
          <Tab key={v} text={titles[v]} shown={view === v} show={() => setView(v)} />
        ))}
      </div>
      <div className={view === "records" ? "grid grid-cols-1 gap-8 lg:grid-cols-[24rem_1fr]" : ""}>
        <HowRead {...{ parts, part, shown, show: setShown, settings, put }} hidden={view !== "records"} />
        <section className="min-w-0">
          {part?.error && <PartFault part={part} put={(more) => put({ ...settings, ...more })} />}
          {view === "records" && part && <PartRecords {...{ part, settings, put }} />}
          {view !== "records" && !done && !profile?.error && (
            <NotYetProfiled {...{ profile }} readable={read !== undefined} />
          )}
          {view === "columns" && done && done.columns.length > 0 && <ProfileTable profile={done} />}
          {done?.columns.length === 0 && (
            <p className="py-4">
              There is no column in {names}, so nothing can be proposed. Check that it is the right file.
            </p>
          )}
          {view === "contract" && proposed && <ProposedLines {...proposed} turn={turn} />}
        </section>
      </div>
    </>
  );
}

type Parts = ReturnType<typeof useFirstLook>["parts"];
type Part = NonNullable<Parts>[number];

/** What is read of the files, and how: found out, and to be set. */
function HowRead({
  parts,
  part,
  shown,
  show,
  settings,
  put,
  hidden,
}: {
  parts: Parts;
  part: Part | undefined;
  shown: number;
  show: (at: number) => void;
  settings: ReadSettings;
  put: (settings: ReadSettings) => void;
  hidden: boolean;
}) {
  return (
    <section aria-label="How it is read" hidden={hidden}>
      <h2 className="mb-2">
        {parts === null ? "Looking at the beginning…" : counted(parts.length, "part")}
        {parts && parts.length > 1 && ", each read by itself"}
      </h2>
      {parts && parts.length > 1 && <PartList parts={parts} shown={shown} show={show} />}
      {part && (
        <ReadForm
          read={part.read}
          evidence={part.evidence}
          others={part.others}
          arrays={part.arrays}
          set={(next) => put(changed(part.read, next, settings))}
        />
      )}
      {Object.keys(settings).length > 0 && (
        <button type="button" className="plain mt-3" onClick={() => put({})}>
          Guess everything again
        </button>
      )}
    </section>
  );
}

/** The first records of a part, after what is to be said about reading it. */
function PartRecords({
  part,
  settings,
  put,
}: {
  part: Part;
  settings: ReadSettings;
  put: (settings: ReadSettings) => void;
}) {
  return (
    <>
      {part.doubts.map((doubt) => (
        <DoubtAsked key={doubt.setting} doubt={doubt} set={(value) => put({ ...settings, [doubt.setting]: value })} />
      ))}
      <FirstRecords part={part} />
    </>
  );
}

/** Why there is nothing to look at yet of all records. */
function NotYetProfiled({ profile, readable }: Pick<ReturnType<typeof useProfile>, "profile"> & { readable: boolean }) {
  if (!readable && profile?.state !== "running") {
    return <p className="py-4">This can be looked at once the files can be read.</p>;
  }
  return <ProfileWaiting profile={profile} />;
}

/** How much of what is being sent has arrived. */
function Arriving({ sent, bytes }: { sent: number; bytes: number }) {
  return (
    <p role="status" className="mt-2 flex items-center gap-3">
      <progress className="progress w-60" value={sent} max={Math.max(1, bytes)} />
      {grouped(Math.round(sent / 1e6))} of {grouped(Math.round(bytes / 1e6))} MB sent. What has arrived is shown; stay
      on these pages until all has.
    </p>
  );
}

/** What the feed is made of, and the two ways to go on. */
function BeginHeading(props: {
  about: string;
  title: string;
  /** Records of the delivery; null before they are counted. */
  records: number | null;
  ready: boolean;
  /** What has to be said before anything is loaded. */
  doubt: string | undefined;
  make: (load: boolean) => void;
}) {
  return (
    <div className="flex items-end justify-between border-b border-[var(--ink)] pb-3">
      <div>
        <p className="faint">{props.about}</p>
        <h1>{props.title}</h1>
      </div>
      <div className="flex gap-2">
        <button type="button" className="btn btn-line" disabled={!props.ready} onClick={() => props.make(false)}>
          Save the plan and open it
        </button>
        <button
          type="button"
          className="btn btn-primary"
          disabled={!props.ready || props.doubt !== undefined}
          title={props.doubt}
          onClick={() => props.make(true)}
        >
          {props.records === null
            ? "Make the feed and load"
            : `Make the feed and load ${counted(props.records, "record")}`}
        </button>
      </div>
    </div>
  );
}

/** One of the views, by its name. */
function Tab({ text, shown, show }: { text: string; shown: boolean; show: () => void }) {
  return (
    <button
      type="button"
      role="tab"
      aria-selected={shown}
      className={`cursor-pointer border-b-4 px-1 pb-0.5 ${shown ? "border-[var(--pine)] font-bold" : "border-transparent faint"}`}
      onClick={show}
    >
      {text}
    </button>
  );
}

/** The parts of a delivery of several: files, files in archives, sheets. */
function PartList({
  parts,
  shown,
  show,
}: {
  parts: readonly PartPreview[];
  shown: number;
  show: (part: number) => void;
}) {
  return (
    <ul className="mb-3 max-h-40 overflow-auto border-y border-[var(--rule)]">
      {parts.map((p, i) => (
        <li key={i}>
          <button
            type="button"
            className={`w-full cursor-pointer truncate px-1 text-left ${i === shown ? "bg-[var(--shade)] font-semibold" : ""}`}
            aria-pressed={i === shown}
            onClick={() => show(i)}
          >
            {p.name} <span className="faint">{p.error ? "can't be read" : counted(p.columns.length, "column")}</span>
          </button>
        </li>
      ))}
    </ul>
  );
}

/** What stops a part from being read, and what a person may say to it. */
function PartFault({ part, put }: { part: PartPreview; put: (more: ReadSettings) => void }) {
  const error = part.error!;
  const meant = {
    "other-kind": { words: "read it as delimited text", more: { as: "delimited" } },
    "unpacks-too-far": { words: `read up to ${grouped(UNPACKED_MB)} MB`, more: { unpacked_mb: UNPACKED_MB } },
  } as const;
  const way = error.code in meant ? meant[error.code as keyof typeof meant] : null;
  return (
    <ProblemNote problem={problemFrom(error)}>
      {part.rows.length > 0 && <p className="faint">What could be read before is shown below, and is not loaded.</p>}
      {way && (
        <button type="button" className="btn btn-line btn-sm mt-1" onClick={() => put(way.more)}>
          It is meant: {way.words}
        </button>
      )}
    </ProblemNote>
  );
}

/** The lines of a proposed contract, each with what speaks for it; each can be taken out. */
function ProposedLines({
  plan,
  lines,
  rejected,
  turn,
}: {
  plan: Plan;
  lines: readonly Reason[];
  rejected: ReadonlySet<Reason>;
  turn: (line: Reason) => void;
}) {
  const { key, target } = plan.load;
  return (
    <>
      <p className="mb-2">
        {counted(plan.contract.fields.length, "field")} into the table <b>target.{target}</b>,{" "}
        {key.length > 0 ? `one record for each ${key.join(", ")}` : "without a key"},{" "}
        {counted(plan.cleanse.length, "step")} of cleansing. Take a line out here, or change any of it in the plan
        later.
      </p>
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
                  onChange={() => turn(line)}
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
    </>
  );
}
