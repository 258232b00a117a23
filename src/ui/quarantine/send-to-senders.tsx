"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { destinationWords } from "@/core/write/files/destination.ts";
import type { SentTo } from "@/engine/out/send-to-senders.ts";
import { sendHeld } from "@/routes/quarantine.ts";
import type { ToTell } from "@/store/senders.ts";
import { ask } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { counted, grouped } from "../kit/words.ts";
import type { DeskFilter } from "./filter.ts";

/** Each sender's held records to where it wants its files: who gets what is shown first, and afterwards what went. */
export function SendToSenders({
  filter: { feed, load, at, sender },
  toTell,
  leave,
}: {
  filter: DeskFilter;
  toTell: readonly ToTell[];
  leave: () => void;
}) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const [sent, setSent] = useState<readonly SentTo[] | null>(null);
  const reached = toTell.filter((s) => s.destination && s.name !== "");
  const records = reached.reduce((n, s) => n + s.records, 0);
  return (
    <section className="mt-2 mb-3 max-w-3xl border-y border-[var(--rule)] py-2" aria-label="To their senders">
      <table className="ledger">
        <thead>
          <tr>
            <th>sender</th>
            <th className="n">records</th>
            <th>{sent ? "what came of it" : "files for it go"}</th>
          </tr>
        </thead>
        <tbody>
          {sent
            ? sent.map((s) => (
                <Row key={s.sender} name={s.sender} records={s.problem === "" ? s.records : 0}>
                  {s.problem === "" ? (
                    `${counted(s.files, "file")} with a letter went to ${s.to}`
                  ) : (
                    <span className={s.to === "" ? "faint" : "held"}>Nothing went. {s.problem}</span>
                  )}
                </Row>
              ))
            : toTell.map((s) => (
                <Row key={s.name} name={s.name} records={s.records}>
                  {s.name === "" ? (
                    <span className="faint">nobody has said whose they are</span>
                  ) : s.destination ? (
                    `to ${destinationWords(s.destination)}`
                  ) : (
                    <span className="faint">nowhere by themselves: say so on its page</span>
                  )}
                </Row>
              ))}
        </tbody>
      </table>
      {problem && <ProblemNote problem={problem} />}
      <p className="mt-2 flex items-center gap-4">
        {!sent && (
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={busy || reached.length === 0}
            onClick={() =>
              void act(async () => {
                const done = await ask(sendHeld, { body: { feed, load, at, sender } });
                setSent(done.sent);
                router.refresh();
              })
            }
          >
            {busy ? "Sending" : `Send ${counted(records, "record")} to ${counted(reached.length, "sender")}`}
          </button>
        )}
        <button type="button" className="plain" onClick={leave}>
          {sent ? "Close the list" : "Leave it"}
        </button>
      </p>
    </section>
  );
}

function Row({ name, records, children }: { name: string; records: number; children: React.ReactNode }) {
  return (
    <tr>
      <td>{name === "" ? "of nobody" : <Link href={`/senders/${encodeURIComponent(name)}`}>{name}</Link>}</td>
      <td className="n">{records > 0 && grouped(records)}</td>
      <td className="break-all">{children}</td>
    </tr>
  );
}
