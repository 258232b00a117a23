import { notFound } from "next/navigation";
import { z } from "zod";
import { SieveError } from "@/core/kernel/problem.ts";
import { differences, type Difference } from "@/core/plan/difference.ts";
import { getFeed, getPlanVersion, listPlans } from "@/store/feeds.ts";
import { listLoads } from "@/store/loads.ts";
import { GoBack } from "@/ui/plan/go-back.tsx";
import { VersionChoice } from "@/ui/plan/version-choice.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted, grouped, moment } from "@/ui/kit/words.ts";
import { db } from "../../../server.ts";

const query = z.object({
  from: z.coerce.number().int().min(0).optional(),
  to: z.coerce.number().int().min(1).optional(),
});

/** What two versions of a feed's plan say differently, and which loads ran by each. */
export default async function VersionsPage({
  params,
  searchParams,
}: {
  params: Promise<{ feed: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const name = (await params).feed;
  try {
    const feed = await getFeed(db(), name);
    const plans = await listPlans(db(), name);
    const newest = plans[0]?.version ?? 0;
    const asked = query.parse(await searchParams);
    const to = asked.to ?? newest;
    const from = asked.from ?? Math.max(1, to - 1);
    const [was, is] = await Promise.all([getPlanVersion(db(), name, from), getPlanVersion(db(), name, to)]);
    const loads = (await listLoads(db(), { feed: name, limit: 500 })).filter(
      (l) => l.plan === was.id || l.plan === is.id,
    );
    const found = differences(was.document, is.document);
    const versions = plans.map((p) => ({ version: p.version ?? 0, note: p.note }));
    const now = new Date();
    return (
      <>
        <p className="faint">
          <Link href={`/feeds/${name}`}>{feed.title}</Link> / plan versions
        </p>
        <div className="flex items-end justify-between gap-4 border-b border-[var(--ink)] pb-3">
          <h1>
            {from === to
              ? `Version ${to} beside itself`
              : found.length === 0
                ? `Versions ${from} and ${to} say the same`
                : `${counted(found.length, "difference")} between version ${from} and version ${to}`}
          </h1>
          <VersionChoice feed={name} versions={versions} from={from} to={to} />
        </div>
        <div className="mt-3 grid grid-cols-1 gap-8 lg:grid-cols-[minmax(0,1fr)_17rem]">
          <section aria-label="Differences" className="min-w-0">
            {found.length > 0 && <Differences found={found} from={from} to={to} />}
          </section>
          <section className="min-w-0">
            {[was, ...(from === to ? [] : [is])].map((p) => {
              const own = loads.filter((l) => l.plan === p.id);
              return (
                <div key={p.id} className="mb-5">
                  <h2>Version {p.version}</h2>
                  <p>{p.note}</p>
                  <p className="faint text-xs">
                    {p.madeBy}, {moment(p.madeAt, now)}
                  </p>
                  <p className="mt-1">
                    {own.length === 0 ? "No load ran by it." : `${counted(own.length, "load")} ran by it: `}
                    {own.slice(0, 12).map((l, i) => (
                      <span key={l.id}>
                        {i > 0 && ", "}
                        <Link className="count" href={`/loads/${l.id}`} title={l.files.join(", ")}>
                          {l.id}
                        </Link>
                      </span>
                    ))}
                    {own.length > 12 && ` and ${grouped(own.length - 12)} more`}
                  </p>
                  <p className="mt-1 flex flex-wrap gap-x-4">
                    <Link className="plain" href={`/feeds/${name}/plan?version=${p.version}`}>
                      Open it
                    </Link>
                    {p.version !== newest && (
                      <GoBack feed={name} version={p.version ?? 0} newest={newest} document={p.document} />
                    )}
                  </p>
                </div>
              );
            })}
          </section>
        </div>
      </>
    );
  } catch (error) {
    if (error instanceof SieveError || error instanceof z.ZodError) notFound();
    throw error;
  }
}

function Differences({ found, from, to }: { found: readonly Difference[]; from: number; to: number }) {
  const stages = [...new Set(found.map((d) => d.stage))];
  return (
    <table className="ledger table-fixed">
      <thead>
        <tr>
          <th className="w-[32%]">what</th>
          <th>version {from}</th>
          <th>version {to}</th>
        </tr>
      </thead>
      {stages.map((stage) => (
        <tbody key={stage}>
          <tr>
            <th colSpan={3} className="pt-3 text-left">
              {stage}
            </th>
          </tr>
          {found
            .filter((d) => d.stage === stage)
            .map((d, i) => (
              <tr key={i}>
                <td className="align-top break-words">{d.what}</td>
                <td className="align-top break-words">
                  {d.was === null ? <span className="faint">not there</span> : <del className="held">{d.was}</del>}
                </td>
                <td className="align-top break-words">
                  {d.is === null ? (
                    <span className="faint">not there</span>
                  ) : (
                    <ins className="changed no-underline">{d.is}</ins>
                  )}
                </td>
              </tr>
            ))}
        </tbody>
      ))}
    </table>
  );
}
