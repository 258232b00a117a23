"use client";

import { useState } from "react";
import { kindsOfFiles } from "@/core/map/kinds-of-files.ts";
import { listed } from "@/core/kernel/problem.ts";
import type { PartPreview } from "@/engine/look/preview.ts";
import { splitDelivery } from "@/routes/deliveries.ts";
import { listFeeds } from "@/routes/feeds.ts";
import { ask } from "../kit/api.ts";
import { feedNameOf, titleOf } from "../kit/files.tsx";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { counted } from "../kit/words.ts";

/** One file of the delivery, by the first of its parts. */
interface Known {
  readonly file: number;
  readonly name: string;
  readonly columns: readonly string[];
}

function filesOf(parts: readonly PartPreview[]): Known[] {
  const files = new Map<number, Known>();
  for (const p of parts) {
    if (!files.has(p.file)) files.set(p.file, { file: p.file, name: p.name, columns: p.error ? [] : p.columns });
  }
  return [...files.values()];
}

/**
 * Files that came together and are not of one kind: each kind can become a feed of its own, with its proposal; or all
 * stay together, each read as it is.
 */
export function KindsOfFiles({
  delivery,
  parts,
  done,
}: {
  delivery: number;
  parts: readonly PartPreview[];
  /** The delivery has other files now. */
  done: () => void;
}) {
  const { busy, problem, act } = useAct();
  const [made, setMade] = useState<{ feed: string; delivery: number }[]>([]);
  const [together, setTogether] = useState(false);
  const files = filesOf(parts);
  const kinds = kindsOfFiles(files);
  const split = (): Promise<unknown> =>
    act(async () => {
      const taken = (await ask(listFeeds)).feeds.map((f) => f.name);
      const feeds = kinds.slice(1).map((kind) => {
        const title = titleOf(files[kind[0]!]!.name);
        const name = feedNameOf(title, taken);
        taken.push(name);
        return { name, title, files: kind.map((i) => files[i]!.file) };
      });
      setMade((await ask(splitDelivery, { params: { id: delivery }, body: { feeds } })).feeds);
      done();
    });
  if (made.length > 0) {
    return (
      <section className="mb-3 border-l-4 border-[var(--pine)] bg-[var(--paper-bright)] px-3 py-2" role="status">
        <b>{counted(made.length, "more feed")} begun.</b> This one goes on below; then look at{" "}
        {made.map((m, i) => (
          <span key={m.feed}>
            {i > 0 && ", "}
            <Link href={`/feeds/${m.feed}/begin?delivery=${m.delivery}`}>{m.feed}</Link>
          </span>
        ))}
        .
      </section>
    );
  }
  if (kinds.length < 2 || together) return null;
  return (
    <section
      className="mb-3 border-l-4 border-[var(--ochre)] bg-[var(--paper-bright)] px-3 py-2"
      aria-label="Kinds of files"
    >
      <b>These files are of {counted(kinds.length, "kind")}</b>, by the names of their columns:
      <ul className="mt-1">
        {kinds.map((kind) => (
          <li key={kind[0]}>
            <b>{listed(kind.slice(0, 4).map((i) => files[i]!.name))}</b>
            {kind.length > 4 && ` and ${kind.length - 4} more`}{" "}
            <span className="faint">
              {files[kind[0]!]!.columns.length > 0
                ? `with ${listed(files[kind[0]!]!.columns.slice(0, 5))}${files[kind[0]!]!.columns.length > 5 ? ", …" : ""}`
                : "which can't be read as it is"}
            </span>
          </li>
        ))}
      </ul>
      {problem && <ProblemNote problem={problem} />}
      <p className="mt-2 flex gap-3">
        <button type="button" className="btn btn-primary btn-sm" disabled={busy} onClick={() => void split()}>
          Make a feed of each
        </button>
        <button type="button" className="btn btn-line btn-sm" onClick={() => setTogether(true)}>
          They belong together
        </button>
      </p>
    </section>
  );
}
