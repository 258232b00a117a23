import { notFound } from "next/navigation";
import { z } from "zod";
import { canSwitchOff, compilePlan } from "@/core/course/compile.ts";
import { handedBy } from "@/core/plan/further-edit.ts";
import { stepWords } from "@/core/plan/words.ts";
import { getFeed, planInForce } from "@/store/feeds.ts";
import { RunDesk } from "@/ui/feeds/run-desk.tsx";
import { orNotThere } from "../../../or-not-there.ts";
import { db } from "../../../server.ts";
import { Link } from "@/ui/kit/link.tsx";

export const metadata = { title: "Run again" };
const query = z.object({ delivery: z.coerce.number().int().optional() });

/** Deliveries of a feed on their way through the plan once more. */
export default async function RunPage({
  params,
  searchParams,
}: {
  params: Promise<{ feed: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const asked = query.safeParse(await searchParams);
  if (!asked.success) notFound();
  const { delivery } = asked.data;
  const feed = await orNotThere(params.then(({ feed: name }) => getFeed(db(), name)));
  const { document: plan, version } = await orNotThere(planInForce(db(), feed.name));
  const { checks } = compilePlan(plan);
  return (
    <>
      <p className="faint">
        <Link href="/feeds">Feeds</Link> / <Link href={`/feeds/${feed.name}`}>{feed.title}</Link>
      </p>
      <h1>Run again</h1>
      <p className="faint mb-3 max-w-3xl">
        Deliveries that came before, by the plan as it is now. A trial writes nothing to the target; a load does, and
        can be undone.
      </p>
      <RunDesk
        feed={feed.name}
        version={version}
        chosen={delivery === undefined ? [] : [delivery]}
        parameters={plan.parameters ?? []}
        switchable={{
          checks: checks.flatMap((c) => (canSwitchOff(plan, c) ? [{ key: c.key, title: c.title }] : [])),
          steps: plan.cleanse.flatMap((s, i) => (s.off ? [] : [{ step: i + 1, words: stepWords(s) }])),
          lookUps: (plan.lookup ?? []).map((l) => ({ name: l.name, words: `${l.name}, in ${l.list}` })),
          targets: (plan.load.further ?? []).flatMap(({ target }) =>
            handedBy(plan, [target]).length > 0 ? [] : [target],
          ),
        }}
        now={new Date().toISOString()}
      />
    </>
  );
}
