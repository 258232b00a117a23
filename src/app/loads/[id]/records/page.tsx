import { notFound } from "next/navigation";
import { compilePlan } from "@/core/course/compile.ts";
import { faultTitle } from "@/core/course/problem-words.ts";
import { getPlan } from "@/store/feeds.ts";
import { getLoad } from "@/store/loads.ts";
import { apart } from "@/engine/apart/apart.ts";
import type { RecordFilter } from "@/engine/look/records.ts";
import { z } from "zod";
import { recordFilter } from "@/routes/loads.ts";
import type { KeptBecause } from "@/core/plan/arriving.ts";
import { problemFrom } from "@/ui/kit/api.ts";
import { Link } from "@/ui/kit/link.tsx";
import { ProblemNote } from "@/ui/kit/problem-note.tsx";
import { RecordTable } from "@/ui/kit/record-table.tsx";
import { orNotThere, orWhyNot } from "../../../or-not-there.ts";
import { db, wholeNumber } from "../../../server.ts";

const PAGE = 200;

export default async function RecordsPage({
  params,
  searchParams,
}: {
  params: Promise<{ id: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const load = await orNotThere(params.then(({ id }) => getLoad(db(), wholeNumber(id, "The load"))));
  const parsed = z.object(recordFilter).safeParse(await searchParams);
  if (!parsed.success || !load.report) notFound();
  const { from, limit: _, ...filter } = parsed.data;
  const page = await orWhyNot(apart("records of a load", { load: load.id, filter, from, limit: PAGE }));
  const compiled = compilePlan((await getPlan(db(), load.plan)).document);
  const words = describe(filter, compiled);
  const query = new URLSearchParams(
    Object.entries(filter).flatMap(([k, v]) => (v === undefined ? [] : [[k, String(v)]])),
  );
  return (
    <>
      <p className="faint">
        <Link href={`/feeds/${load.feed}`}>{load.feed}</Link> /{" "}
        <Link href={`/loads/${load.id}`}>{`${load.kind} ${load.id}`}</Link>
      </p>
      <h1>{words}</h1>
      <p className="faint mb-2">
        Each as it stands at the end of the course; what a step changed has its old value beside it. Computed again from
        the delivery.
      </p>
      {"why" in page ? (
        <ProblemNote problem={problemFrom(page.why)} />
      ) : (
        <RecordTable
          key={query.toString()}
          load={load.id}
          query={query.toString()}
          first={page.shown}
          kept={filter.kept ? filter.field : undefined}
        />
      )}
    </>
  );
}

const KEPT_WHERE: Record<KeptBecause, string> = {
  empty: "came empty, so that the target kept what it had",
  leave: "said to leave what the target had",
  fill: "came where the target had a value already",
  fix: "came where the target’s value is fixed",
  only: "came for a row that is there already, and rows are only inserted",
};

function describe(filter: RecordFilter, compiled: ReturnType<typeof compilePlan>): string {
  const parts: string[] = [];
  if (filter.outcome) parts.push(filter.outcome);
  if (filter.was) parts.push(`that were ${filter.was} in trial ${filter.against}`);
  if (filter.at) parts.push(`kept back at ${filter.at}`);
  if (filter.left) parts.push(`that left ${filter.left}`);
  if (filter.check) parts.push(`with the problem “${faultTitle(filter.check, compiled.fields)}”`);
  if (filter.kept) parts.push(`of which ${filter.field} ${KEPT_WHERE[filter.kept]}`);
  else if (filter.field) parts.push(`with ${filter.field} ${filter.is ?? "shown"}`);
  if (filter.step !== undefined)
    parts.push(`changed by step ${filter.step + 1}: ${compiled.steps[filter.step]?.words ?? ""}`);
  return parts.length === 0 ? "All records read" : `Records ${parts.join(", ")}`;
}
