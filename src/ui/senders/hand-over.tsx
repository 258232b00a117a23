"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { destinationWords } from "@/core/write/files/destination.ts";
import { sendHeld } from "@/routes/quarantine.ts";
import { handOver, takeBack } from "@/routes/senders.ts";
import type { Sender } from "@/store/senders.ts";
import type { SentTo } from "@/engine/out/send-to-senders.ts";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { withPath } from "../kit/with-path.ts";
import { counted } from "../kit/words.ts";
import { notHanded, owesWords } from "./owes.ts";

/** What is held of a sender goes to it, and is noted as being there. */
export function HandOver({ sender, now }: { sender: Sender; now: string }) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const [sent, setSent] = useState<SentTo | null>(null);
  const params = { sender: sender.name };
  const change = (work: () => Promise<unknown>): void =>
    void act(async () => {
      setSent(null);
      await work();
      router.refresh();
    });
  const send = async (): Promise<void> => {
    const { sent: done } = await ask(sendHeld, { body: { sender: sender.name } });
    setSent(done[0] ?? null);
  };
  const handBack = async (): Promise<void> => {
    // Noted first: what comes to be held meanwhile may be in the archive, but is not noted as being there.
    await ask(handOver, { params, body: {} });
    const archive = document.createElement("a");
    archive.href = withPath(`/api/quarantine/senders?${new URLSearchParams(params).toString()}`);
    archive.download = "";
    archive.click();
  };
  return (
    <div className="mt-3 border-y border-[var(--rule)] py-2">
      <div className="flex flex-wrap items-center gap-4">
        {sender.held === 0 ? (
          <p>Nothing of it is held.</p>
        ) : (
          <>
            {sender.destination && notHanded(sender) > 0 && (
              <button type="button" className="btn btn-primary" disabled={busy} onClick={() => change(send)}>
                {busy ? "Sending" : `Send ${counted(notHanded(sender), "record")}`}
              </button>
            )}
            <button
              type="button"
              className={sender.destination ? "plain" : "btn btn-primary"}
              disabled={busy}
              onClick={() => change(handBack)}
            >
              {sender.destination ? "All as an archive" : `Hand back ${counted(sender.held, "record")}`}
            </button>
            <p className="max-w-prose">
              <WithThem
                sender={sender}
                now={now}
                busy={busy}
                takeBack={() => change(() => ask(takeBack, { params, query: {} }))}
              />
            </p>
          </>
        )}
      </div>
      {sent && (
        <p role="status" className={`mt-1 ${sent.problem === "" ? "" : "held"}`}>
          {sent.problem === ""
            ? `${counted(sent.records, "record")} in ${counted(sent.files, "file")} with a letter went to ${sent.to}.`
            : `Nothing went. ${sent.problem}`}
        </p>
      )}
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}

/** What it has, or what it would get. */
function WithThem({
  sender,
  now,
  busy,
  takeBack,
}: {
  sender: Sender;
  now: string;
  busy: boolean;
  takeBack: () => void;
}) {
  const fresh = notHanded(sender);
  if (sender.withThem === 0) {
    const where = sender.destination ? `To ${destinationWords(sender.destination)}, or as an archive` : "An archive";
    return `${where}: a file for each layout in which they came, a mark and the problems beside each record, and a letter. From then on the records are noted as being with the sender.`;
  }
  return (
    <>
      With them: <b>{owesWords(sender, new Date(now))}</b>
      {fresh > 0 && `; ${counted(fresh, "record is", "records are")} new since`}.{" "}
      <button type="button" className="plain" disabled={busy} onClick={takeBack}>
        They do not have them
      </button>
    </>
  );
}
