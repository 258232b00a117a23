import type { TargetAlterations } from "@/engine/writing/alterations.ts";
import { counted } from "../../kit/words.ts";

/** What a table is as it stands, folded: its columns, rules and indexes. Nothing where it is not there yet. */
export function TableDefinition({
  of: { target, definition },
}: {
  of: Pick<TargetAlterations, "target" | "definition">;
}) {
  if (!definition) return null;
  const { columns, rules, indexes } = definition;
  const named = [...rules, ...indexes];
  return (
    <details className="mt-1">
      <summary className="cursor-pointer">
        {target} as it is: {counted(columns.length, "column")}
        {rules.length > 0 && `, ${counted(rules.length, "rule")}`}
        {indexes.length > 0 && `, ${counted(indexes.length, "index", "indexes")}`}
      </summary>
      <div className="mt-1 overflow-x-auto" tabIndex={0} role="region" aria-label={`The definition of ${target}`}>
        <table className="ledger tight">
          <thead>
            <tr>
              <th>column</th>
              <th>type</th>
              <th>empty</th>
              <th>otherwise</th>
              <th>comment</th>
            </tr>
          </thead>
          <tbody>
            {columns.map((c) => (
              <tr key={c.name} className={c.name.startsWith("_") ? "faint" : ""}>
                <td>{c.name}</td>
                <td className="raw">{c.type}</td>
                <td className="faint">{c.notNull ? "never" : ""}</td>
                <td className="raw">{c.otherwise}</td>
                <td>{c.comment}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {named.length > 0 && (
        <ul className="my-1">
          {named.map((r) => (
            <li key={r.name} className="break-words py-0.5">
              {r.name} <span className="raw faint">{r.says}</span>
            </li>
          ))}
        </ul>
      )}
    </details>
  );
}
