"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { endSenderKey, makeSenderKey } from "@/routes/senders.ts";
import type { SenderKey } from "@/store/sender-keys.ts";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { moment } from "../kit/words.ts";

/** Keys by which a sender brings its files itself, so that it is known whose they are. */
export function SenderKeys({
  sender,
  keys,
  feeds,
  now,
}: {
  sender: string;
  keys: readonly SenderKey[];
  feeds: readonly { readonly name: string; readonly title: string }[];
  now: string;
}) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const [feed, setFeed] = useState("");
  const [made, setMade] = useState<{ key: string; feed: string } | null>(null);
  const params = { sender };
  const make = () =>
    void act(async () => {
      const { key } = await ask(makeSenderKey, { params, body: { feed: feed === "" ? null : feed } });
      setMade({ key, feed: feed === "" ? (feeds[0]?.name ?? "FEED") : feed });
      router.refresh();
    });
  const end = (id: number) =>
    void act(async () => {
      await ask(endSenderKey, { params, body: { id } });
      router.refresh();
    });
  return (
    <section className="mt-4" aria-label="Keys">
      <h2>Keys, to bring files itself</h2>
      {keys.length === 0 && <p className="faint">None: its files are brought in by others, who say whose they are.</p>}
      <ul>
        {keys.map((k) => (
          <li key={k.id} className={`flex flex-wrap items-baseline gap-x-2 ${k.endedAt ? "faint" : ""}`}>
            <span className="raw">…{k.endsWith}</span>
            <span>{k.feed ?? "all feeds"}</span>
            <span className="faint">
              {k.endedAt
                ? `ended ${moment(k.endedAt, new Date(now))}`
                : k.usedAt
                  ? `used ${moment(k.usedAt, new Date(now))}`
                  : "not used yet"}
            </span>
            {!k.endedAt && (
              <button type="button" className="plain held ml-auto" disabled={busy} onClick={() => end(k.id)}>
                end it
              </button>
            )}
          </li>
        ))}
      </ul>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <select
          className="select select-sm !w-40"
          aria-label="The feed that the key is for"
          value={feed}
          onChange={(e) => setFeed(e.target.value)}
        >
          <option value="">for all feeds</option>
          {feeds.map((f) => (
            <option key={f.name} value={f.name}>
              for {f.title}
            </option>
          ))}
        </select>
        <button type="button" className="btn btn-line btn-sm" disabled={busy} onClick={make}>
          Make a key
        </button>
      </div>
      {problem && <ProblemNote problem={problem} />}
      {made && (
        <div role="status" className="mt-2">
          <p>Give it to {sender} now: it is told this once, and kept nowhere as it is.</p>
          <pre className="raw mt-1 overflow-auto text-[0.85rem]" tabIndex={0} aria-label="How a file is brought">
            {`curl -T file.csv -H "Authorization: Bearer ${made.key}" \\\n  "${window.location.origin}${process.env["NEXT_PUBLIC_SIEVE_PATH"] ?? ""}/api/bring/${made.feed}?name=file.csv"`}
          </pre>
        </div>
      )}
    </section>
  );
}
