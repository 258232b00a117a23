"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { putSender } from "@/routes/senders.ts";
import type { Sender } from "@/store/senders.ts";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { destinationOf, draftOf, type DestinationDraft } from "./destination.ts";

/** Whom to turn to, how long an answer may take, and where files go. */
export function AboutSender({ sender }: { sender: Sender }) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const [about, setAbout] = useState({
    contact: sender.contact,
    address: sender.address,
    note: sender.note,
    days: sender.daysToAnswer === null ? "" : String(sender.daysToAnswer),
    destination: draftOf(sender.destination),
  });
  const [kept, setKept] = useState(about);
  const changed = JSON.stringify(about) !== JSON.stringify(kept);
  return (
    <form
      className="grid gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void act(async () => {
          const { days, destination, ...rest } = about;
          await ask(putSender, {
            params: { sender: sender.name },
            body: {
              ...rest,
              daysToAnswer: days === "" ? null : Number(days),
              destination: destinationOf(destination),
            },
          });
          setKept(about);
          router.refresh();
        });
      }}
    >
      <Text label="whom to turn to" value={about.contact} set={(contact) => setAbout({ ...about, contact })} />
      <Text label="address" value={about.address} set={(address) => setAbout({ ...about, address })} />
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
      <DestinationFields
        draft={about.destination}
        set={(more) => setAbout({ ...about, destination: { ...about.destination, ...more } })}
      />
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

function Text({
  label,
  value,
  hint,
  must = false,
  set,
}: {
  label: string;
  value: string;
  hint?: string;
  must?: boolean;
  set: (value: string) => void;
}) {
  return (
    <label className="block">
      <span className="faint">{label}</span>
      <input
        className="input input-sm w-full"
        value={value}
        placeholder={hint}
        required={must}
        maxLength={must ? 1000 : 200}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
}

/** Where files for the sender go. */
function DestinationFields({
  draft,
  set,
}: {
  draft: DestinationDraft;
  set: (more: Partial<DestinationDraft>) => void;
}) {
  return (
    <>
      <label className="block">
        <span className="faint">files for it go</span>
        <select
          className="select select-sm w-full"
          value={draft.to}
          onChange={(e) => set({ to: e.target.value as DestinationDraft["to"] })}
        >
          <option value="">nowhere by themselves</option>
          <option value="folder">into a folder</option>
          <option value="address">to an address</option>
        </select>
      </label>
      {draft.to === "folder" && (
        <Text
          label="folder of the outgoing files"
          value={draft.folder}
          hint="senders/brindle-hollow"
          must
          set={(folder) => set({ folder })}
        />
      )}
      {draft.to === "address" && (
        <>
          <Text
            label="address below which files are put"
            value={draft.url}
            hint="https://files.brindle-hollow.example/to-mend"
            must
            set={(url) => set({ url })}
          />
          <Text
            label="connection with its user and password"
            value={draft.connection}
            hint="none"
            must={draft.storage}
            set={(connection) => set({ connection })}
          />
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={draft.storage} onChange={(e) => set({ storage: e.target.checked })} />
            they are the key and secret of an object storage
          </label>
          {draft.storage && (
            <Text label="its region" value={draft.region} hint="us-east-1" set={(region) => set({ region })} />
          )}
        </>
      )}
    </>
  );
}
