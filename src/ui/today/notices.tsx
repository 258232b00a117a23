"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { seeToNotice } from "@/routes/loads.ts";
import type { AfterLoad } from "@/store/after.ts";
import { ask } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { counted, moment } from "../kit/words.ts";

/** Notices that are shown; of more, how many there are. */
const SHOWN = 8;

/** What plans have said after loads and nobody has seen to yet, the latest first. */
export function Notices({
  notices,
  titles,
  now,
}: {
  notices: readonly AfterLoad[];
  titles: Readonly<Record<string, string>>;
  now: string;
}) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const [last, setLast] = useState<AfterLoad | null>(null);
  const see = (notice: AfterLoad, seen: boolean): void =>
    void act(async () => {
      const { load: id, outcome, n } = notice;
      await ask(seeToNotice, { params: { id }, body: { outcome, n, seen } });
      setLast(seen ? notice : null);
      router.refresh();
    });
  if (notices.length === 0 && !last) return null;
  return (
    <section className="mt-2 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2" aria-label="Notices">
      {notices.slice(0, SHOWN).map((notice) => (
        <p key={`${notice.load} ${notice.outcome} ${notice.n}`} className="flex flex-wrap items-baseline gap-x-3">
          <b className="[overflow-wrap:anywhere]">{notice.answer}</b>
          <span className="faint">
            {titles[notice.feed] ?? notice.feed},{" "}
            <Link className="underline" href={`/loads/${notice.load}`}>
              load {notice.load}
            </Link>
            {notice.endedAt && `, ${moment(new Date(notice.endedAt), new Date(now))}`}
          </span>
          <button type="button" className="plain" disabled={busy} onClick={() => see(notice, true)}>
            Seen to
          </button>
        </p>
      ))}
      {notices.length > SHOWN && <p className="faint">and {counted(notices.length - SHOWN, "more notice")}</p>}
      {last && (
        <p className="faint" role="status">
          Seen to: {last.answer}{" "}
          <button type="button" className="plain" disabled={busy} onClick={() => see(last, false)}>
            Put it back
          </button>
        </p>
      )}
      {problem && <ProblemNote problem={problem} />}
    </section>
  );
}
