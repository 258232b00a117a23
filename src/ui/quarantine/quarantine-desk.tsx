"use client";

import { mendedValues } from "@/core/mend/values.ts";
import { AllOfCause } from "./all-of-cause.tsx";
import { idOf, stayedWords, verdictOf, waitWords, type Edits } from "./held.ts";
import { useAct } from "../kit/use-act.ts";
import { discardHeld, releaseHeld, takeBackHeld } from "@/routes/quarantine.ts";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRouter } from "next/navigation";
import Link from "next/link";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { compilePlan } from "@/core/course/compile.ts";
import { fieldsNamed, readCheck } from "@/core/check/identity.ts";
import type { Plan } from "@/core/plan/schema.ts";
import { suggestMends, type Mend } from "@/core/mend/suggest.ts";
import type { HeldGroup, HeldRecord } from "@/store/held.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Value } from "../kit/cell.tsx";
import { HeldDetail } from "./held-detail.tsx";
import { Bar } from "../kit/bar.tsx";
import { Mark } from "../kit/mark.tsx";
import { isTyping } from "../shell/nav.tsx";
import { NoteForm } from "../kit/note-form.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { counted, grouped, isoDay } from "../kit/words.ts";
import { withPath } from "../kit/with-path.ts";

export interface DeskFilter {
  feed?: string | undefined;
  load?: number | undefined;
  at?: string | undefined;
  state?: string | undefined;
}

/**
 * The quarantine: what is wrong at the left, the records that share it in the middle, one record
 * opened at the right. Mends are tried as they are typed, by the same code that the server runs.
 */
export function QuarantineDesk({
  filter,
  groups,
  group,
  total,
  overtaken,
  ages,
  first,
  plan,
  titles,
}: {
  filter: DeskFilter;
  groups: HeldGroup[];
  group: HeldGroup | null;
  total: number;
  /** How many are overtaken, which are not among those held. */
  overtaken: number;
  ages: { today: number; week: number; older: number };
  first: HeldRecord[];
  plan: Plan | null;
  /** By name, what each feed is called. */
  titles: Readonly<Record<string, string>>;
}) {
  const router = useRouter();
  /** The records here are overtaken: to release them is to write over something newer. */
  const over = filter.state === "overtaken";
  const compiled = useMemo(() => (plan ? compilePlan(plan, undefined, { day: isoDay(new Date()) }) : null), [plan]);
  const [records, setRecords] = useState(first);
  const [at, setAt] = useState(0);
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [edits, setEdits] = useState<Edits>({});
  const { busy, problem, setProblem, act } = useAct();
  const [done, setDone] = useState<{ text: string; undo?: { load: number; record: number }[] } | null>(null);
  const [discarding, setDiscarding] = useState(false);
  const [all, setAll] = useState(false);
  // What was released in one go is not known record by record: what is left comes with the next page.
  const [awaited, setAwaited] = useState<HeldRecord[] | null>(null);
  if (awaited !== null && awaited !== first) {
    setAwaited(null);
    setRecords(first);
    setPicked(new Set());
  }
  const [stayed, setStayed] = useState<Record<string, string>>({});
  const box = useRef<HTMLDivElement>(null);
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count: records.length,
    getScrollElement: () => box.current,
    estimateSize: () => 27,
    overscan: 10,
  });

  const verdicts = useMemo(
    () =>
      compiled
        ? new Map(records.map((h) => [idOf(h), verdictOf(h, compiled, edits[idOf(h)])]))
        : new Map<string, ReturnType<typeof verdictOf>>(),
    [records, compiled, edits],
  );
  const passes = useCallback((h: HeldRecord): boolean => verdicts.get(idOf(h))?.passes ?? false, [verdicts]);
  const chosen = picked.size > 0 ? records.filter((h) => picked.has(idOf(h))) : records;
  const releasable = chosen.filter(passes);
  const open = records[Math.min(at, records.length - 1)];
  const mends = useMemo(
    () =>
      compiled && group
        ? suggestMends(
            compiled,
            group.check,
            records.map((h) => ({
              id: idOf(h),
              values: mendedValues(h, edits[idOf(h)] ?? {}, compiled),
              problems: h.problems,
            })),
            records.length,
          )
        : [],
    [records, compiled, group, edits],
  );
  const takeOver = (which: readonly Mend[]): void => {
    setEdits((have) => {
      const next = { ...have };
      for (const m of which) for (const id of m.records) next[id] = { ...next[id], [m.field]: m.to };
      return next;
    });
    setPicked(new Set(which.flatMap((m) => m.records)));
  };
  const forDiscard = picked.size > 0 ? chosen : open ? [open] : [];

  const release = useCallback(
    async (which: HeldRecord[]): Promise<void> => {
      if (which.length === 0) return;
      setDone(null);
      await act(async () => {
        const answer = await ask(releaseHeld, {
          body: {
            records: which.map((h) => ({ load: h.load, record: h.record, values: edits[idOf(h)] ?? {} })),
            overtaken: over,
          },
        });
        const kept = new Map(answer.stayed.map((s) => [idOf(s), stayedWords(s)]));
        // What is overtaken, or was ended by somebody else meanwhile, is not in this list any more.
        const moved = new Set(answer.stayed.filter((s) => s.overtaken || s.ended).map(idOf));
        const gone = new Set(which.map(idOf).filter((id) => !kept.has(id) || moved.has(id)));
        setRecords((have) => have.filter((h) => !gone.has(idOf(h))));
        setPicked(new Set());
        setStayed(Object.fromEntries(kept));
        const where = which.length === 1 && answer.released === 1 ? ` into ${plan?.load.target ?? "the target"}` : "";
        setDone({
          text: `Released ${counted(answer.released, "record")}${where}${waitWords(answer)}${kept.size > 0 ? `; ${kept.size} stayed: ${[...kept.values()][0]}` : ""}.`,
        });
        router.refresh();
      });
    },
    [act, edits, plan, router, over],
  );

  const discard = async (reason: string): Promise<void> => {
    await act(async () => {
      const which = forDiscard.map((h) => ({ load: h.load, record: h.record }));
      const { discarded } = await ask(discardHeld, {
        body: { records: which, reason },
      });
      const gone = new Set(which.map(idOf));
      setRecords((have) => have.filter((h) => !gone.has(idOf(h))));
      setPicked(new Set());
      setDiscarding(false);
      setDone({ text: `Discarded ${counted(discarded, "record")}.`, undo: which });
      router.refresh();
    });
  };

  const takeBack = async (): Promise<void> => {
    try {
      await ask(takeBackHeld, { body: { records: done?.undo ?? [] } });
      setDone(null);
      window.location.reload();
    } catch (error) {
      setProblem(problemOf(error));
    }
  };

  const pick = useCallback((id: string): void => {
    setPicked((have) => {
      const next = new Set(have);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  }, []);

  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
      if (event.key === "Escape" && isTyping(event.target)) {
        (event.target as HTMLElement).blur();
        return;
      }
      if (isTyping(event.target) || records.length === 0) return;
      const move = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15 }[event.key];
      if (move) {
        event.preventDefault();
        setAt((i) => {
          const next = Math.max(0, Math.min(records.length - 1, i + move));
          rows.scrollToIndex(next);
          return next;
        });
      } else if (event.key === " " && open) {
        event.preventDefault();
        pick(idOf(open));
      } else if (event.key === "e") {
        event.preventDefault();
        document.querySelector<HTMLInputElement>("[data-mend-first]")?.focus();
      } else if (event.key === "r") {
        if (picked.size > 0) void release(releasable);
        else if (open && passes(open)) void release([open]);
      } else if (event.key === "x") {
        event.preventDefault();
        setDiscarding(true);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [records, open, pick, picked, passes, release, releasable, rows]);

  const query = (more: Record<string, string | number | undefined>): string => {
    const q = new URLSearchParams();
    for (const [k, v] of Object.entries({ ...filter, ...more })) if (v !== undefined) q.set(k, String(v));
    return q.toString();
  };

  if (!group || !compiled) {
    return (
      <>
        <h1>
          {over
            ? "Nothing is overtaken"
            : filter.load
              ? `Nothing of load ${filter.load} is held`
              : "The quarantine is empty"}
        </h1>
        <p className="my-2">
          Records that fail a check will be here, each with what is wrong, until they are mended and released, or
          discarded with a reason.
        </p>
        {done && <p>{done.text}</p>}
        {overtaken > 0 && !over && (
          <p>
            <Link className="underline" href={`/quarantine?${query({ state: "overtaken", check: undefined })}`}>
              {counted(overtaken, "record")} overtaken
            </Link>{" "}
            by something newer.
          </p>
        )}
        {over && (
          <Link className="plain mr-4" href={`/quarantine?${query({ state: undefined, check: undefined })}`}>
            What is held
          </Link>
        )}
        {filter.load !== undefined && (
          <Link className="plain" href={`/loads/${filter.load}`}>
            Back to load {filter.load}
          </Link>
        )}
      </>
    );
  }

  const several = groups.some((g) => g.feed !== group.feed);
  const wrongField = fieldsNamed(readCheck(group.check))[0];
  const key = compiled.plan.load.key;
  const leading = [
    ...new Set([...key, ...(wrongField && compiled.fields.some((f) => f.name === wrongField) ? [wrongField] : [])]),
  ];
  const columns = [...leading, ...compiled.fields.map((f) => f.name).filter((n) => !leading.includes(n))];
  const number = new Map(compiled.fields.map((f, i) => [f.name, i]));
  const items = rows.getVirtualItems();
  const above = items[0]?.start ?? 0;
  const below = rows.getTotalSize() - (items.at(-1)?.end ?? 0);
  return (
    <>
      <div className="flex items-end justify-between">
        <div>
          <p className="faint">
            {titles[filter.feed ?? group.feed]}
            {filter.load !== undefined && (
              <>
                {" / "}
                <Link href={`/loads/${filter.load}`}>load {filter.load}</Link> ·{" "}
                <Link className="underline" href="/quarantine">
                  all loads
                </Link>
              </>
            )}
          </p>
          <h1>
            {counted(total, over ? "overtaken record" : "held record")}, {counted(groups.length, "cause")}
          </h1>
          {!over && (
            <p className="faint">
              <a className="underline" href={withPath(`/api/quarantine/senders?${query({ check: undefined })}`)}>
                all of them for their senders
              </a>
              , a file for each layout, with a letter
            </p>
          )}
          {over ? (
            <p>
              Something newer has written their keys since they were held. Released, they would be written over it; both
              values are beside each other at the right.{" "}
              <Link className="underline" href={`/quarantine?${query({ state: undefined, check: undefined })}`}>
                What is held
              </Link>
            </p>
          ) : (
            overtaken > 0 && (
              <p className="faint">
                <Link className="underline" href={`/quarantine?${query({ state: "overtaken", check: undefined })}`}>
                  {counted(overtaken, "record")} overtaken
                </Link>{" "}
                by something newer {overtaken === 1 ? "is" : "are"} not among them
              </p>
            )
          )}
        </div>
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
          <button type="button" className="btn btn-line" onClick={() => setDiscarding(true)} disabled={busy}>
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
      </div>
      {problem && <ProblemNote problem={problem} />}
      {done && (
        <p role="status" className="mt-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-1">
          {done.text}{" "}
          {done.undo && (
            <button type="button" className="plain" onClick={() => void takeBack()}>
              Take that back
            </button>
          )}
        </p>
      )}
      {discarding && (
        <NoteForm
          tone="plum"
          focus
          label={`Why ${counted(forDiscard.length, "record")} will not be loaded`}
          submit={`Discard ${counted(forDiscard.length, "record")}`}
          ready={!busy}
          back={{ says: "Keep them", go: () => setDiscarding(false) }}
          save={discard}
        />
      )}
      <div className="mt-3 grid grid-cols-1 gap-5 lg:grid-cols-[13rem_minmax(0,1fr)_17rem] xl:grid-cols-[16rem_minmax(0,1fr)_19rem]">
        <section aria-label="What is wrong" className="min-w-0">
          <div className="flex justify-between border-b border-[var(--ink)] pb-1">
            <h2>What is wrong</h2>
            <h2>records</h2>
          </div>
          <ul className="max-h-[calc(100dvh-15.5rem)] overflow-auto">
            {groups.map((g) => {
              const here = g.check === group.check && g.feed === group.feed;
              return (
                <li key={`${g.feed} ${g.check}`}>
                  <Link
                    href={`/quarantine?${query({ check: g.check, of: g.feed })}`}
                    aria-current={here ? "true" : undefined}
                    className={`block border-b border-[var(--rule)] border-l-4 py-1.5 pr-2 pl-2 ${here ? "border-l-[var(--plum)] bg-[var(--shade)]" : "border-l-transparent"}`}
                  >
                    <span className="flex justify-between gap-2">
                      <span className="min-w-0 font-semibold [overflow-wrap:anywhere]">{g.fault}</span>
                      <b className="held">{grouped(g.count)}</b>
                    </span>
                    {several && <span className="faint block text-xs">{titles[g.feed]}</span>}
                    <Bar share={g.count / groups[0]!.count} className="mt-0.5 h-1.5 text-[var(--plum)]" />
                  </Link>
                </li>
              );
            })}
          </ul>
          <h2 className="mt-3">Age</h2>
          <p>
            today <b>{grouped(ages.today)}</b> · 1-7 days <b>{grouped(ages.week)}</b> · older{" "}
            <b>{grouped(ages.older)}</b>
          </p>
        </section>
        <section aria-label="Records" className="min-w-0">
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
          {!over && !all && group.count > 1 && (
            <p className="mb-1">
              <button type="button" className="plain text-sm" onClick={() => setAll(true)}>
                All {grouped(group.count)} of this cause at once…
              </button>
            </p>
          )}
          {all && (
            <AllOfCause
              filter={{ feed: group.feed, check: group.check, load: filter.load }}
              count={group.count}
              fields={compiled.fields.map((f) => f.name)}
              field={wrongField ?? compiled.fields[0]!.name}
              done={(text) => {
                setAll(false);
                setDone({ text });
                setAwaited(first);
                router.refresh();
              }}
              close={() => setAll(false)}
            />
          )}
          {mends.length > 0 && <Mends mends={mends} take={takeOver} />}
          <div
            ref={box}
            tabIndex={0}
            role="region"
            aria-label="Records of this cause"
            className="max-h-[calc(100dvh-11rem)] overflow-auto border-t border-b border-[var(--ink)]"
          >
            <table className="ledger">
              <thead className="sticky top-0 z-10 bg-[var(--paper)]">
                <tr>
                  <th>
                    <input
                      type="checkbox"
                      aria-label="Pick all"
                      checked={picked.size > 0 && picked.size === records.length}
                      onChange={(e) => setPicked(e.target.checked ? new Set(records.map(idOf)) : new Set())}
                    />
                  </th>
                  <th className="n">load</th>
                  <th className="n">line</th>
                  <th>then</th>
                  {columns.map((c) => (
                    <th key={c}>{c}</th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {above > 0 && (
                  <tr aria-hidden="true">
                    <td colSpan={columns.length + 4} height={above} />
                  </tr>
                )}
                {items.map((item) => {
                  const h = records[item.index]!;
                  const id = idOf(h);
                  const verdict = verdicts.get(id)!;
                  const wrong = new Set(verdict.problems.filter((p) => p.onFailure !== "note").map((p) => p.field));
                  const values = mendedValues(h, edits[id] ?? {}, compiled);
                  return (
                    <tr
                      key={id}
                      aria-selected={item.index === at}
                      onClick={() => setAt(item.index)}
                      className="h-[27px] cursor-pointer"
                    >
                      <td>
                        <input
                          type="checkbox"
                          aria-label={`Pick line ${h.line}`}
                          checked={picked.has(id)}
                          onChange={() => pick(id)}
                          onClick={(e) => e.stopPropagation()}
                        />
                      </td>
                      <td className="n faint">{h.load}</td>
                      <td className="n faint">{grouped(h.line)}</td>
                      <td className={`whitespace-nowrap ${verdict.passes ? "loaded" : "held"}`}>
                        <Mark outcome={verdict.passes ? "inserted" : "held"} /> {verdict.passes ? "passes" : "held"}
                      </td>
                      {h.cells === null && !edits[id] && !h.mended ? (
                        <td colSpan={columns.length} className="max-w-[40rem] truncate faint">
                          could not be read: open it to see its raw text
                        </td>
                      ) : (
                        columns.map((c) => (
                          <td
                            key={c}
                            className={`max-w-56 truncate whitespace-nowrap ${wrong.has(c) ? "bg-[var(--plum-soft)] held" : edits[id]?.[c] !== undefined ? "bg-[var(--ochre-soft)]" : ""}`}
                          >
                            <Value text={values[number.get(c)!] ?? ""} mono={c === wrongField} />
                          </td>
                        ))
                      )}
                    </tr>
                  );
                })}
                {below > 0 && (
                  <tr aria-hidden="true">
                    <td colSpan={columns.length + 4} height={below} />
                  </tr>
                )}
              </tbody>
            </table>
          </div>
        </section>
        {open && (
          <HeldDetail
            key={idOf(open)}
            held={open}
            compiled={compiled}
            edits={edits[idOf(open)] ?? {}}
            verdict={verdicts.get(idOf(open))!}
            stayed={stayed[idOf(open)] ?? null}
            pickedCount={picked.size}
            busy={busy}
            onEdit={(field, value) =>
              setEdits((all) => ({ ...all, [idOf(open)]: { ...all[idOf(open)], [field]: value } }))
            }
            onReset={() =>
              setEdits((all) => Object.fromEntries(Object.entries(all).filter(([id]) => id !== idOf(open))))
            }
            onAlike={(field, value) =>
              setEdits((all) => ({
                ...all,
                ...Object.fromEntries([...picked].map((id) => [id, { ...all[id], [field]: value }])),
              }))
            }
            onRelease={() => void release([open])}
          />
        )}
      </div>
    </>
  );
}

/** Mends of single values that are shown beside those of all that are alike. */
const MENDS_SHOWN = 4;

/** Mends that could be meant: of many values for one reason at once, and of single values. */
function Mends({ mends, take }: { mends: readonly Mend[]; take: (which: readonly Mend[]) => void }) {
  const reasons = [...new Set(mends.map((m) => m.because))]
    .map((because) => mends.filter((m) => m.because === because))
    .filter((own) => own.length > 1);
  const sum = (list: readonly Mend[], of: (m: Mend) => number): number => list.reduce((n, m) => n + of(m), 0);
  const button = (which: readonly Mend[], label: string) => {
    const [records, releases] = [sum(which, (m) => m.records.length), sum(which, (m) => m.releases)];
    return (
      <button type="button" className="plain whitespace-nowrap" aria-label={label} onClick={() => take(which)}>
        {records === 1 ? "set it" : `set in ${grouped(records)}`}
        {releases > 0 ? `, mends ${grouped(releases)}` : ""}
      </button>
    );
  };
  return (
    <ul aria-label="Mends that could be meant" className="mb-1 flex flex-wrap gap-x-5 gap-y-0.5 text-sm">
      {reasons.map((own) => (
        <li key={own[0]!.because} className="flex w-full items-baseline gap-1.5">
          <span>
            {counted(own.length, "value")}, <b>{own[0]!.because}</b>:
          </span>
          {button(own, `Set all values: ${own[0]!.because}`)}
        </li>
      ))}
      {mends.slice(0, MENDS_SHOWN).map((m) => (
        <li key={`${m.from} ${m.to}`} className="flex items-baseline gap-1.5" title={m.because}>
          <span className="raw held max-w-40 truncate">{m.from}</span>
          <span className="faint">→</span>
          <span className="raw changed max-w-40 truncate font-semibold">{m.to}</span>
          {button([m], `Set ${m.to} for ${m.from} in ${counted(m.records.length, "record")}`)}
        </li>
      ))}
    </ul>
  );
}
