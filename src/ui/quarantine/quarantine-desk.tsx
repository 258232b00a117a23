"use client";

import { useMemo, useState } from "react";
import { compilePlan } from "@/core/course/compile.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { fieldsNamed, readCheck } from "@/core/check/identity.ts";
import { mendsForSteps, type MendMade } from "@/core/mend/remembered.ts";
import type { KnownValue } from "@/core/mend/known.ts";
import { suggestMends, type Mend } from "@/core/mend/suggest.ts";
import { mendedValues } from "@/core/mend/values.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { CauseOrder, HeldGroup, HeldRecord } from "@/store/held.ts";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { withPath } from "../kit/with-path.ts";
import { counted, grouped, isoDay } from "../kit/words.ts";
import { AllOfCause } from "./all-of-cause.tsx";
import { Causes } from "./causes.tsx";
import { chosenOf, forDiscardOf } from "./desk.ts";
import { DeskHeading } from "./desk-heading.tsx";
import { queryOf, type DeskFilter } from "./filter.ts";
import { idOf } from "./held.ts";
import { HeldDetail } from "./held-detail.tsx";
import { HeldTable, useHeldRows } from "./held-table.tsx";
import { MendsMeant } from "./mends-meant.tsx";
import { NothingHeld } from "./nothing-held.tsx";
import { useDesk, type DeskWork } from "./use-desk.ts";
import { useDeskKeys } from "./use-desk-keys.ts";

/**
 * The quarantine: what is wrong at the left, the records that share it in the middle, one record
 * opened at the right. Mends are tried as they are typed, by the same code that the server runs.
 */
export function QuarantineDesk({
  filter,
  groups,
  group,
  order,
  total,
  overtaken,
  ages,
  first,
  made,
  known,
  plan,
  titles,
}: {
  filter: DeskFilter;
  groups: HeldGroup[];
  group: HeldGroup | null;
  order: CauseOrder;
  total: number;
  /** How many are overtaken, which are not among those held. */
  overtaken: number;
  ages: { today: number; week: number; older: number };
  first: HeldRecord[];
  /** Mends that people have made in the feed before. */
  made: MendMade[];
  /** What rows of the target say of the field that is wrong, by other fields. */
  known: KnownValue[];
  plan: Plan | null;
  /** By name, what each feed is called. */
  titles: Readonly<Record<string, string>>;
}) {
  /** The records here are overtaken: to release them is to write over something newer. */
  const over = filter.state === "overtaken";
  const [day] = useState(() => isoDay(new Date()));
  const compiled = useMemo(() => (plan ? compilePlan(plan, undefined, { day }) : null), [plan, day]);
  const work = useDesk(first, { compiled, target: plan?.load.target ?? "the target", over });
  const { desk, tell, verdicts, busy, problem } = work;
  const { records, edits, picked, said } = desk;
  const rows = useHeldRows(records.length);
  useDeskKeys(work, rows);
  const query = queryOf(filter);
  const mends = useMends(work, compiled, group, { made, known });
  const again = useMemo(() => (plan ? mendsForSteps(plan, made) : []), [plan, made]);
  if (!group || !compiled) {
    return <NothingHeld filter={filter} overtaken={overtaken} query={query} said={said?.text ?? null} />;
  }

  const forDiscard = forDiscardOf(desk);
  const open = records[desk.at];
  const wrongField = fieldsNamed(readCheck(group.check))[0];
  return (
    <>
      <div className="flex items-end justify-between">
        <DeskHeading
          {...{ filter, group, total, overtaken, titles, query }}
          causes={groups.length}
          again={again.length}
        />
        <Actions {...{ work, group, query, over, forDiscard }} />
      </div>
      {problem && <ProblemNote problem={problem} />}
      {said && <Said said={said} takeBack={() => void work.takeBack()} />}
      {desk.open === "discard" && (
        <NoteForm
          tone="plum"
          focus
          label={`Why ${counted(forDiscard.length, "record")} will not be loaded`}
          submit={`Discard ${counted(forDiscard.length, "record")}`}
          ready={!busy}
          back={{ says: "Keep them", go: () => tell({ does: "open", what: null }) }}
          save={(reason) => work.discard(forDiscard, reason)}
        />
      )}
      <div className="mt-3 grid grid-cols-1 gap-5 lg:grid-cols-[13rem_minmax(0,1fr)_17rem] xl:grid-cols-[16rem_minmax(0,1fr)_19rem]">
        <Causes {...{ groups, group, order, ages, titles, query }} />
        <section aria-label="Records" className="min-w-0">
          <AboveRecords {...{ work, filter, group, compiled, first, over }} wrongField={wrongField} />
          {mends.length > 0 && <MendsMeant mends={mends} take={(which) => tell({ does: "mend", mends: which })} />}
          <HeldTable {...{ work, rows, compiled, wrongField }} />
        </section>
        {open && (
          <HeldDetail
            key={idOf(open)}
            held={open}
            compiled={compiled}
            edits={edits[idOf(open)] ?? {}}
            verdict={verdicts.get(idOf(open))!}
            stayed={desk.stayed[idOf(open)] ?? null}
            pickedCount={picked.size}
            busy={busy}
            onEdit={(field, value) => tell({ does: "edit", records: [idOf(open)], field, value })}
            onReset={() => tell({ does: "reset", id: idOf(open) })}
            onAlike={(field, value) => tell({ does: "edit", records: [...picked], field, value })}
            onRelease={() => void work.release([open])}
          />
        )}
      </div>
    </>
  );
}

/** What is suggested for the records at hand, as they stand with what was typed. */
function useMends(
  { desk: { records, edits } }: DeskWork,
  compiled: Compiled | null,
  group: HeldGroup | null,
  from: { readonly made: MendMade[]; readonly known: KnownValue[] },
): Mend[] {
  const { made, known } = from;
  return useMemo(
    () =>
      compiled && group
        ? suggestMends(
            compiled,
            group.check,
            records.map((h) => ({
              id: idOf(h),
              load: h.load,
              values: mendedValues(h, edits[idOf(h)] ?? {}, compiled),
              problems: h.problems,
            })),
            { most: records.length, made, known },
          )
        : [],
    [records, compiled, group, edits, made, known],
  );
}

/** What can be done with the records that are chosen, or all. */
function Actions({
  work: { desk, tell, passes, busy, release },
  group,
  query,
  over,
  forDiscard,
}: {
  work: DeskWork;
  group: HeldGroup;
  query: ReturnType<typeof queryOf>;
  over: boolean;
  forDiscard: readonly HeldRecord[];
}) {
  const releasable = chosenOf(desk).filter(passes);
  return (
    <div className="flex shrink-0 items-center gap-3">
      {!over && (
        <a
          className="plain"
          href={withPath(`/api/quarantine/senders?${query({ feed: group.feed, check: group.check })}`)}
          title="A folder for each sender: files in the layout that they came in, with a mark and the problem beside each record, and a letter"
        >
          These for their senders
        </a>
      )}
      <button
        type="button"
        className="btn btn-line"
        onClick={() => tell({ does: "open", what: "discard" })}
        disabled={busy}
      >
        Discard {grouped(forDiscard.length)}… <kbd>X</kbd>
      </button>
      <button
        type="button"
        className="btn btn-primary"
        disabled={busy || releasable.length === 0}
        onClick={() => void release(releasable)}
      >
        Release {counted(releasable.length, "record")}
        {over && " over what is newer"}
      </button>
    </div>
  );
}

function Said({ said, takeBack }: { said: NonNullable<DeskWork["desk"]["said"]>; takeBack: () => void }) {
  return (
    <p role="status" className="mt-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-1">
      {said.text}{" "}
      {said.undo && (
        <button type="button" className="plain" onClick={takeBack}>
          Take that back
        </button>
      )}
    </p>
  );
}

/** How many records share the cause, how many of them are shown and picked, and the way to all of them at once. */
function AboveRecords({
  work: { desk, tell, refresh },
  filter,
  group,
  compiled,
  first,
  over,
  wrongField,
}: {
  work: DeskWork;
  filter: DeskFilter;
  group: HeldGroup;
  compiled: Compiled;
  first: HeldRecord[];
  over: boolean;
  wrongField: string | undefined;
}) {
  const { records, picked, open } = desk;
  return (
    <>
      <div className="flex items-baseline justify-between">
        <h2>
          {counted(group.count, "record")}: {group.fault}
          {records.length < group.count && `, the first ${grouped(records.length)}`}
          {picked.size > 0 && `, ${grouped(picked.size)} picked`}
        </h2>
        <span className="faint text-xs whitespace-nowrap">
          <kbd>Space</kbd> pick <kbd>E</kbd> mend <kbd>R</kbd> release
        </span>
      </div>
      {!over && open !== "all" && group.count > 1 && (
        <p className="mb-1">
          <button type="button" className="plain text-sm" onClick={() => tell({ does: "open", what: "all" })}>
            All {grouped(group.count)} of this cause at once…
          </button>
        </p>
      )}
      {open === "all" && (
        <AllOfCause
          filter={{ feed: group.feed, check: group.check, load: filter.load, at: filter.at, sender: filter.sender }}
          count={group.count}
          fields={compiled.fields}
          named={compiled.plan.formulas}
          field={wrongField ?? compiled.fields[0]!.name}
          done={(text) => {
            tell({ does: "await", page: first, text });
            refresh();
          }}
          close={() => tell({ does: "open", what: null })}
        />
      )}
    </>
  );
}
