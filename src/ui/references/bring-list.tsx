"use client";

import { useAct } from "../kit/use-act.ts";
import { bringListIn } from "@/routes/references.ts";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { ColumnParts, NO_PARTS, partsSaid } from "./column-parts.tsx";
import { listName } from "./list-name.ts";

/** Makes a reference list of a file. */
export function BringList() {
  const router = useRouter();
  const [file, setFile] = useState<File | null>(null);
  const [title, setTitle] = useState("");
  const [parts, setParts] = useState(NO_PARTS);
  const { busy, problem, act } = useAct();
  const name = listName(title);

  const bring = async (): Promise<void> => {
    if (!file) return;
    const query = { file: file.name, title: title.trim(), ...partsSaid(parts) };
    await act(
      async () => {
        await ask(bringListIn, { params: { list: name }, query, file });
        router.push(`/references/${name}`);
        router.refresh();
      },
      { leaves: true },
    );
  };
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
      <ColumnParts parts={parts} set={setParts} />
      {problem && <ProblemNote problem={problem} />}
      <div>
        <button type="submit" className="btn btn-primary" disabled={busy || !file || name === ""}>
          {busy ? "Bringing it in…" : "Bring it in"}
        </button>
      </div>
    </form>
  );
}
