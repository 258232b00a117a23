"use client";

import { useQuery } from "@tanstack/react-query";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { destinationWords } from "@/core/write/files/destination.ts";
import type { SentTo } from "@/engine/out/send-to-senders.ts";
import { listRecipients, sendHeld } from "@/routes/quarantine.ts";
import type { Recipient } from "@/store/senders.ts";
import { ask, problemOf } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { counted, grouped } from "../kit/words.ts";
import type { DeskFilter } from "./filter.ts";

/** Each sender's held records to where it wants its files: who gets what is shown first, and afterwards what went. */
export function SendToSenders({
  filter: { feed, load, at, sender },
  leave,
}: {
  filter: DeskFilter;
  leave: () => void;
}) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const [sent, setSent] = useState<readonly SentTo[] | null>(null);
  const filter = { feed, load, at, sender };
  const { data, error } = useQuery({
    queryKey: ["recipients", filter],
    queryFn: () => ask(listRecipients, { query: filter }),
    enabled: sent === null,
    // What is shown before it is sent is as it is now.
    gcTime: 0,
  });
  const recipients = data?.recipients ?? [];
  const reached = recipients.filter((s) => s.destination && s.name !== "");
  const records = reached.reduce((n, s) => n + s.records, 0);
  return (
    <section className="mt-2 mb-3 max-w-3xl border-y border-[var(--rule)] py-2" aria-label="To their senders">
      {sent === null && data && recipients.length === 0 ? (
        <p>All of it is with its senders already.</p>
      ) : (
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
                    <Came sent={s} />
                  </Row>
                ))
              : recipients.map((s) => (
                  <Row key={s.name} name={s.name} records={s.records}>
                    <Goes recipient={s} />
                  </Row>
                ))}
          </tbody>
        </table>
      )}
      {(problem ?? error) && <ProblemNote problem={problem ?? problemOf(error)} />}
      <p className="mt-2 flex items-center gap-4">
        {!sent && (
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={busy || reached.length === 0}
            onClick={() =>
              void act(async () => {
                const done = await ask(sendHeld, { body: filter });
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

/** Where files for a sender go. */
function Goes({ recipient: { name, destination } }: { recipient: Recipient }) {
  if (name === "") return <span className="faint">nobody has said whose they are</span>;
  if (destination) return `to ${destinationWords(destination)}`;
  return <span className="faint">nowhere by themselves: say so on its page</span>;
}

/** What went to a sender, or why nothing did. */
function Came({ sent: { files, to, problem } }: { sent: SentTo }) {
  if (problem === "") return `${counted(files, "file")} with a letter went to ${to}`;
  return <span className={to === "" ? "faint" : "held"}>Nothing went. {problem}</span>;
}

function Row({ name, records, children }: { name: string; records: number; children: React.ReactNode }) {
  return (
    <tr>
      <td>{name === "" ? "of nobody" : <Link href={`/senders/${encodeURIComponent(name)}`}>{name}</Link>}</td>
      <td className="n">{records > 0 && grouped(records)}</td>
      <td className="[overflow-wrap:anywhere]">{children}</td>
    </tr>
  );
}
