import { notFound } from "next/navigation";
import { z } from "zod";
import { CELL_IS } from "@/engine/look/delivery-records.ts";
import { apart } from "@/engine/apart/apart.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { getFeed, planInForce } from "@/store/feeds.ts";
import { Value } from "@/ui/kit/cell.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted, grouped } from "@/ui/kit/words.ts";
import { orNotThere } from "../../../or-not-there.ts";
import { db, wholeNumber } from "../../../server.ts";

export const metadata = { title: "Records as they arrived" };
const query = z.object({
  column: z.string().max(500),
  is: z.enum(CELL_IS),
  value: z.string().max(1000).optional(),
  from: z.coerce.number().int().min(0).default(0),
});
const LIMIT = 200;

export default async function ArrivedPage({
  params,
  searchParams,
}: {
  params: Promise<{ id: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const asked = query.safeParse(await searchParams);
  if (!asked.success) notFound();
  const { from, ...filter } = asked.data;
  const delivery = await orNotThere(params.then(({ id }) => getDelivery(db(), wholeNumber(id, "The delivery"))));
  const { id } = delivery;
  const feed = await getFeed(db(), delivery.feed);
  const plan = await planInForce(db(), delivery.feed).catch(() => null);
  const found = await apart("records of a delivery", {
    delivery: id,
    read: plan?.document.read ?? {},
    filter,
    from,
    limit: LIMIT,
  });
  const words = {
    empty: "is empty",
    blank: "has nothing but spaces",
    value: `is “${filter.value ?? ""}”`,
    shape: `has the shape ${filter.value ?? ""}`,
    has: `has “${filter.value ?? ""}” in it`,
    again: "is given more than once",
    outside: `is not within ${(filter.value ?? "").replace("..", " to ")}`,
    case: `is not written in ${{ upper: "capitals", lower: "small letters", mixed: "both cases" }[filter.value ?? ""] ?? "the usual case"}`,
    number: "is a number",
    "no number": "is no number",
  }[filter.is];
  const first = found.columns.indexOf(filter.column);
  return (
    <>
      <p className="faint">
        <Link href={`/feeds/${feed.name}`}>{feed.title}</Link> /{" "}
        <Link href={`/deliveries/${id}/profile`}>delivery {id}</Link> / records as they arrived
      </p>
      <h1 className="mb-2">
        {filter.column} {words}: {counted(from + found.records.length, "record")}
        {found.more && " and more"}
      </h1>
      {found.records.length === 0 ? (
        <p className="py-4">No record is such.</p>
      ) : (
        <div
          tabIndex={0}
          role="region"
          aria-label="Records"
          className="max-h-[calc(100dvh-9rem)] overflow-auto border-b border-[var(--ink)]"
        >
          <table className="ledger tight rows">
            <thead className="sticky top-0 bg-[var(--paper)]">
              <tr>
                {delivery.files.length > 1 && <th>file</th>}
                <th className="n">line</th>
                {found.columns.map((c, i) => (
                  <th key={c} className={i === first ? "text-[var(--ink)]" : ""}>
                    {c}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.records.map((r, k) => (
                <tr key={k}>
                  {delivery.files.length > 1 && <td>{r.file}</td>}
                  <td className="n faint">{grouped(r.line)}</td>
                  {found.columns.map((c, i) => (
                    <td key={c} className={`max-w-64 truncate ${i === first ? "bg-[var(--ochre-soft)]" : ""}`}>
                      <Value text={r.cells[i] ?? ""} />
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {found.more && (
        <p className="mt-2">
          <Link
            className="plain"
            href={`/deliveries/${id}/records?${new URLSearchParams({ column: filter.column, is: filter.is, ...(filter.value === undefined ? {} : { value: filter.value }), from: String(from + LIMIT) })}`}
          >
            The next {LIMIT}
          </Link>
        </p>
      )}
    </>
  );
}
