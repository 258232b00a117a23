import { findValue } from "@/engine/look/find-value.ts";
import { FoundTable } from "@/ui/find/found-table.tsx";
import { db } from "../server.ts";

export const metadata = { title: "Find" };

/** Where a value stands, across all feeds: in targets, in the quarantine, among what waits. */
export default async function Find({ searchParams }: { searchParams: Promise<{ value?: string | string[] }> }) {
  const { value: given } = await searchParams;
  const value = (Array.isArray(given) ? given[0] : given)?.slice(0, 1000).trim() ?? "";
  const found = value === "" ? null : await findValue(db(), value);
  return (
    <>
      <h1>Find a record</h1>
      <form action="" className="mt-2 flex items-center gap-3">
        <input
          name="value"
          defaultValue={value}
          maxLength={1000}
          aria-label="A value, exactly as it is"
          className="input input-sm !w-96 font-mono"
        />
        <button type="submit" className="btn btn-line btn-sm">
          Find
        </button>
        <span className="faint">a key or any text, exactly as it is, in all feeds</span>
      </form>
      {found && <FoundTable value={value} found={found} now={new Date()} />}
    </>
  );
}
