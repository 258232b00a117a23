import { askedWords } from "@/core/lookup/asked.ts";
import { listReferences } from "@/store/references.ts";
import { AskedList } from "@/ui/references/asked-list.tsx";
import { BringList } from "@/ui/references/bring-list.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted, grouped, moment } from "@/ui/kit/words.ts";
import { db } from "../../server.ts";

export const metadata = { title: "References" };

export default async function ReferencesPage() {
  const lists = await listReferences(db());
  const now = new Date();
  return (
    <>
      <div className="flex items-end justify-between">
        <h1>{counted(lists.length, "reference list")}</h1>
        <Link className="plain" href="/formulas">
          Named formulas
        </Link>
      </div>
      <div className="mt-3 grid grid-cols-1 gap-8 lg:grid-cols-[minmax(0,1fr)_24rem]">
        {lists.length === 0 ? (
          <p className="max-w-2xl">
            Governed lists of known values and records will be here: codes, names, places. Bring one in from a file in
            any format that is read; plans look values up in it, and each change is a version that stays known.
          </p>
        ) : (
          <table className="ledger self-start">
            <thead>
              <tr>
                <th>list</th>
                <th className="n">entries</th>
                <th>columns</th>
                <th className="n">version</th>
                <th>changed</th>
              </tr>
            </thead>
            <tbody>
              {lists.map((r) => (
                <tr key={r.name}>
                  <td>
                    <Link className="font-semibold underline" href={`/references/${r.name}`}>
                      {r.title}
                    </Link>
                    <span className="faint block text-xs">{r.about}</span>
                  </td>
                  <td className="n">{grouped(r.entries)}</td>
                  <td className="max-w-80 truncate" title={r.shape.columns.join(", ")}>
                    {r.shape.columns.join(", ")}
                  </td>
                  <td className="n">{r.version}</td>
                  <td className="whitespace-nowrap">
                    {moment(r.changedAt, now)} <span className="faint">by {r.changedBy || "nobody named"}</span>
                    {r.asked && <span className="faint block text-xs">kept elsewhere: {askedWords(r.asked)}</span>}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <div>
          <BringList />
          <AskedList />
        </div>
      </div>
    </>
  );
}
