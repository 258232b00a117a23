import { changeWords } from "@/core/report/found-words.ts";
import type { RowChange } from "@/engine/look/find-value.ts";
import { Link } from "../kit/link.tsx";
import { moment } from "../kit/words.ts";

/** What was done to a row of a target, the latest first. */
export function RowChanges({ changes, now }: { changes: readonly RowChange[]; now: Date }) {
  if (changes.length === 0) {
    return (
      <p className="faint mt-1 text-sm">
        What was done to it before is no longer kept, or was nothing but being put there.
      </p>
    );
  }
  return (
    <ul className="mt-1 border-t border-[var(--rule)] pt-1">
      {changes.map((c) => (
        <li key={c.writing}>
          <Link className="plain" href={`/writings/${c.writing}`}>
            {moment(c.at, now)}
          </Link>{" "}
          {changeWords(c)}
          <span className="faint"> ({c.by})</span>
          {c.fields.map((f) => (
            <span key={f.name} className="block pl-6">
              {f.name}: {f.was || "nothing"} → <b>{f.is || "nothing"}</b>
            </span>
          ))}
        </li>
      ))}
    </ul>
  );
}
