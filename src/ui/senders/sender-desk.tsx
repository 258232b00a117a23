"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { handOver, putSender, takeBack } from "@/routes/senders.ts";
import type { Sender } from "@/store/senders.ts";
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
  const archive = withPath(`/api/quarantine/senders?${new URLSearchParams({ sender: sender.name }).toString()}`);
  const fresh = notHanded(sender);
  const params = { sender: sender.name };
  return (
    <div className="mt-3 border-y border-[var(--rule)] py-2">
      <div className="flex flex-wrap items-center gap-4">
        {sender.held === 0 ? (
          <p>Nothing of it is held.</p>
        ) : (
          <>
            <a
              className="btn btn-primary"
              href={archive}
              download
              onClick={() =>
                void act(async () => {
                  await ask(handOver, { params, body: {} });
                  router.refresh();
                })
              }
            >
              Hand back {counted(sender.held, "record")}
            </a>
            <p className="max-w-prose">
              {sender.withThem > 0 ? (
                <>
                  With them: <b>{owesWords(sender, new Date(now))}</b>
                  {fresh > 0 && `; ${counted(fresh, "record is", "records are")} new since`}.{" "}
                  <button
                    type="button"
                    className="plain"
                    disabled={busy}
                    onClick={() =>
                      void act(async () => {
                        await ask(takeBack, { params, query: {} });
                        router.refresh();
                      })
                    }
                  >
                    They do not have them
                  </button>
                </>
              ) : (
                "An archive: a file for each layout in which they came, a mark and the problems beside each record, and a letter. From then on the records are noted as being with the sender."
              )}
            </p>
          </>
        )}
      </div>
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}

/** Whom to turn to, and how long an answer may take. */
export function AboutSender({ sender }: { sender: Sender }) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const [about, setAbout] = useState({
    contact: sender.contact,
    address: sender.address,
    note: sender.note,
    days: sender.daysToAnswer === null ? "" : String(sender.daysToAnswer),
  });
  const [kept, setKept] = useState(about);
  const changed = JSON.stringify(about) !== JSON.stringify(kept);
  const text = (part: "contact" | "address", label: string) => (
    <label className="block">
      <span className="faint">{label}</span>
      <input
        className="input input-sm w-full"
        value={about[part]}
        maxLength={200}
        onChange={(e) => setAbout({ ...about, [part]: e.target.value })}
      />
    </label>
  );
  return (
    <form
      className="grid gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void act(async () => {
          const { days, ...rest } = about;
          await ask(putSender, {
            params: { sender: sender.name },
            body: { ...rest, daysToAnswer: days === "" ? null : Number(days) },
          });
          setKept(about);
          router.refresh();
        });
      }}
    >
      {text("contact", "whom to turn to")}
      {text("address", "address")}
      <label className="block">
        <span className="faint">days to send back what was handed over</span>
        <input
          className="input input-sm w-24"
          type="number"
          min={1}
          max={365}
          value={about.days}
          placeholder="not said"
          onChange={(e) => setAbout({ ...about, days: e.target.value })}
        />
      </label>
      <label className="block">
        <span className="faint">note</span>
        <textarea
          className="textarea textarea-sm w-full"
          rows={3}
          maxLength={2000}
          value={about.note}
          onChange={(e) => setAbout({ ...about, note: e.target.value })}
        />
      </label>
      {problem && <ProblemNote problem={problem} />}
      <button type="submit" className="btn btn-line btn-sm justify-self-start" disabled={!changed || busy}>
        Keep this
      </button>
    </form>
  );
}
