"use client";

import { useAct } from "../kit/use-act.ts";
import { bringListIn } from "@/routes/references.ts";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";

/** Makes a reference list of a file. */
export function BringList() {
  const router = useRouter();
  const [file, setFile] = useState<File | null>(null);
  const [title, setTitle] = useState("");
  const [special, setSpecial] = useState({ key: "", accepted: "", since: "", until: "" });
  const { busy, problem, act } = useAct();
  const name = title
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[^a-z]+|_+$/g, "")
    .slice(0, 63);

  const bring = async (): Promise<void> => {
    if (!file) return;
    const said = Object.entries(special).map(([key, value]) => [key, value.trim()] as const);
    const query = { file: file.name, title: title.trim(), ...Object.fromEntries(said.filter(([, v]) => v !== "")) };
    await act(
      async () => {
        await ask(bringListIn, { params: { list: name }, query, file });
        router.push(`/references/${name}`);
        router.refresh();
      },
      { leaves: true },
    );
  };
  const field = (key: keyof typeof special, words: string) => (
    <label className="block">
      <span className="faint text-sm">{words}</span>
      <input
        className="input input-sm"
        value={special[key]}
        onChange={(e) => setSpecial((s) => ({ ...s, [key]: e.target.value }))}
      />
    </label>
  );
  return (
    <form
      className="flex flex-col gap-2 border-[var(--rule)] lg:border-l lg:pl-6"
      onSubmit={(e) => {
        e.preventDefault();
        void bring();
      }}
    >
      <h2>Bring a list in</h2>
      <label>
        <span className="faint text-sm">A file in any format that is read, with a header</span>
        <input
          type="file"
          className="mt-1 block w-full"
          onChange={(e) => {
            const chosen = e.target.files?.[0] ?? null;
            setFile(chosen);
            if (chosen && title === "") setTitle(chosen.name.replace(/\..*$/, "").replace(/[-_]+/g, " "));
          }}
        />
      </label>
      <label>
        <span className="faint text-sm">What it is called</span>
        <input className="input input-sm" value={title} maxLength={120} onChange={(e) => setTitle(e.target.value)} />
      </label>
      <details>
        <summary className="cursor-pointer">What its columns are for</summary>
        <div className="mt-1 flex flex-col gap-2">
          {field("key", "The column with the key; the first one unless said")}
          {field("accepted", "The column by which a synonym leads to its accepted entry, if there is one")}
          {field("since", "The column with the first day on which an entry holds")}
          {field("until", "The column with the last day")}
        </div>
      </details>
      {problem && <ProblemNote problem={problem} />}
      <div>
        <button type="submit" className="btn btn-primary" disabled={busy || !file || name === ""}>
          {busy ? "Bringing it in…" : "Bring it in"}
        </button>
      </div>
    </form>
  );
}
