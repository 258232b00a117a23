import { countOpenBefore } from "@/engine/release/alike.ts";
import { cannotUndo } from "@/engine/undo/kept.ts";
import { afterOf } from "@/store/after.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { getFeed, getPlan } from "@/store/feeds.ts";
import { countHeld } from "@/store/held.ts";
import { getLoad, listLoads } from "@/store/loads.ts";
import { trialBefore } from "@/store/load-history.ts";
import { answersAbout, countClusters, countPairs } from "@/store/matches.ts";
import { sendersOfLoad } from "@/store/senders-of-load.ts";
import { copiedOfLoad } from "@/store/target-copies.ts";
import { listWritings } from "@/store/writings.ts";
import { moment } from "@/ui/kit/words.ts";
import { LoadProgress } from "@/ui/loads/load-actions.tsx";
import { LoadAfter } from "@/ui/loads/load-after.tsx";
import { AsTried, LoadBalance } from "@/ui/loads/load-balance.tsx";
import {
  LoadChanges,
  LoadChecks,
  LoadDrift,
  LoadFields,
  LoadFiles,
  LoadRun,
  TimeTaken,
} from "@/ui/loads/load-figures.tsx";
import { LoadFailed, LoadHeading, LoadStopped } from "@/ui/loads/load-heading.tsx";
import { LoadLookUps, LoadMatches } from "@/ui/loads/load-matches.tsx";
import { LoadSenders } from "@/ui/loads/load-senders.tsx";
import { LoadCopies, LoadFurther, LoadKept, LoadReconciliation, LoadWritings } from "@/ui/loads/load-writing.tsx";
import { COUNTED_BEFORE } from "@/ui/loads/load-words.ts";
import { Sift } from "@/ui/loads/sift.tsx";
import { HeldTrend } from "@/ui/quarantine/held-trend.tsx";
import { orNotThere } from "../../or-not-there.ts";
import { db, wholeNumber } from "../../server.ts";

export async function generateMetadata({ params }: { params: Promise<{ id: string }> }) {
  return { title: `Load ${(await params).id}` };
}

export default async function LoadPage({ params }: { params: Promise<{ id: string }> }) {
  const load = await orNotThere(params.then(({ id }) => getLoad(db(), wholeNumber(id, "The load"))));
  const now = new Date();
  const [feed, delivery, stillHeld, overtaken, loads, clusters, pairs, answers, after, senders, openBefore] =
    await Promise.all([
      getFeed(db(), load.feed),
      getDelivery(db(), load.delivery),
      countHeld(db(), { load: load.id }),
      countHeld(db(), { load: load.id, state: "overtaken" }),
      listLoads(db(), { feed: load.feed, limit: 40 }),
      countClusters(db(), load.id),
      countPairs(db(), { load: load.id }),
      answersAbout(db(), load.id),
      afterOf(db(), load.id),
      sendersOfLoad(db(), load.id),
      load.state === "loaded" && load.expiredAt === null ? countOpenBefore(db(), load.id, COUNTED_BEFORE) : 0,
    ]);
  const { report } = load;
  const recent = loads
    .filter((l) => (l.state === "loaded" || l.state === "stopped") && l.id <= load.id)
    .slice(0, 12)
    .reverse();
  const plan = load.state === "stopped" ? (await getPlan(db(), load.plan)).document : null;
  const tried = load.state === "loaded" ? await trialBefore(db(), load.id) : null;
  const writings = load.writing === null ? [] : await listWritings(db(), { load: load.id }, 50);
  const copied = load.writing === null ? [] : await copiedOfLoad(db(), load.id);
  const undoFault = load.state === "loaded" ? await cannotUndo(db(), load.id) : null;
  const running = load.state === "queued" || load.state === "running";
  return (
    <>
      <LoadHeading {...{ load, feed, delivery, stillHeld, undoFault, now }} beside={loads.length > 1} />
      {running && <LoadProgress load={load.id} />}
      {load.state === "failed" && load.error && <LoadFailed error={load.error} />}
      {!report && <LoadAfter load={load.id} after={after} now={now.toISOString()} />}
      {plan && report && <LoadStopped load={load} report={report} plan={plan} />}
      {tried && <AsTried tried={tried} />}
      {load.letThrough && <p className="mt-1">Let through a gate: “{load.letThrough}”</p>}
      {load.dropped && <p className="mt-1">Dropped: “{load.dropped}”</p>}
      {load.undone && (
        <p className="mt-1">
          Undone {load.undoneAt && moment(load.undoneAt, now)} by {load.undoneBy}: “{load.undone}”. What follows is how
          it was loaded.
        </p>
      )}
      {report && (
        <div className="mt-3 grid grid-cols-1 gap-8 lg:grid-cols-[minmax(0,1fr)_27.5rem]">
          <section className="min-w-0">
            <Sift load={load.id} strata={report.sift} />
            <LoadBalance
              load={load.id}
              report={report}
              ended={load.state === "loaded"}
              would={load.state === "stopped" || load.state === "dropped" || load.state === "tried"}
              stillHeld={stillHeld}
              overtaken={overtaken}
              openBefore={openBefore}
            />
            <LoadFurther report={report} would={load.state !== "loaded" && load.state !== "undone"} />
            <LoadCopies report={report} copied={copied} feed={load.feed} />
            <LoadReconciliation report={report} />
            <LoadWritings writings={writings} own={load.writing} now={now.toISOString()} />
            {recent.length > 1 && load.kind === "load" && (
              <div className="mt-3">
                <h2>Share held, last {recent.length} loads</h2>
                <HeldTrend
                  loads={recent.map((l) => ({ id: l.id, read: l.read ?? 0, held: l.held ?? 0 }))}
                  here={load.id}
                />
              </div>
            )}
            <LoadFiles report={report} />
            <LoadSenders load={load.id} senders={senders} />
          </section>
          <section className="min-w-0">
            <LoadFields load={load.id} report={report} />
            <LoadRun report={report} />
            <LoadChecks load={load.id} report={report} />
            <LoadChanges load={load.id} report={report} />
            <LoadAfter load={load.id} after={after} now={now.toISOString()} />
            <LoadKept load={load.id} report={report} />
            <LoadLookUps load={load.id} report={report} />
            <LoadMatches load={load.id} report={report} clusters={clusters} open={pairs.open} answers={answers} />
            <LoadDrift report={report} feed={load.feed} />
            <TimeTaken report={report} />
          </section>
        </div>
      )}
    </>
  );
}
