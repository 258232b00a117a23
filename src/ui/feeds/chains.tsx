import { Fragment } from "react";
import { afterWords } from "@/core/plan/after.ts";
import { chainsOf, givesTo, whereStopped, type LastLoad } from "@/core/plan/chain.ts";
import { listsOf } from "@/core/plan/uses.ts";
import { listed } from "@/core/kernel/problem.ts";
import type { Plan } from "@/core/plan/document.ts";
import { furtherOf } from "@/core/plan/further.ts";
import type { LoadRow } from "@/store/loads.ts";
import { ChainStopped } from "./chain-stopped.tsx";
import { stateWord } from "../loads/load-state.tsx";
import { Link } from "../kit/link.tsx";
import { counted, moment } from "../kit/words.ts";

interface Feed {
  readonly name: string;
  readonly title: string;
  readonly plan: Plan | null;
  readonly held: number;
  readonly last: LoadRow | undefined;
}

/** The tables that a plan's loads write, in their order. */
function tablesWords(plan: Plan): string {
  const further = furtherOf(plan);
  const turn = (of: "before" | "after"): string[] => further.flatMap((f) => (f.turn === of ? [f.target] : []));
  const names = [...turn("before"), plan.load.target, ...turn("after")];
  return names.length === 1 ? `the table ${names[0]}` : `the tables ${listed(names)}`;
}

/** A last load, as far as a chain asks for it. */
function lastOf(load: LoadRow | undefined): LastLoad | undefined {
  if (!load) return undefined;
  const accepted = (load.inserted ?? 0) + (load.updated ?? 0) + (load.unchanged ?? 0) + (load.merged ?? 0) > 0;
  return { id: load.id, delivery: load.delivery, state: load.state, accepted, held: (load.held ?? 0) > 0 };
}

/** The chains of feeds, each from first to last: what each takes from which, and hands on to which. */
export function Chains({ feeds, now }: { feeds: readonly Feed[]; now: Date }) {
  const chains = chainsOf(feeds.map(({ name, plan }) => ({ name, gives: givesTo(plan) })));
  if (chains.length === 0) return null;
  const of = new Map(feeds.map((f) => [f.name, f]));
  const titles = (names: readonly string[]): string => names.map((n) => of.get(n)?.title ?? n).join(" and ");
  return (
    <>
      <h2 className="mt-6">{chains.length === 1 ? "A chain of feeds" : "Chains of feeds"}, from first to last</h2>
      {chains.map((chain) => {
        const stop = whereStopped(chain, {
          gives: (name, outcome) => givesTo(of.get(name)!.plan, outcome),
          last: (name) => lastOf(of.get(name)!.last),
        });
        return (
          <Fragment key={chain.join()}>
            <table className="ledger mb-1">
              <thead>
                <tr>
                  <th className="n">step</th>
                  <th>feed</th>
                  <th>takes</th>
                  <th>hands on to</th>
                  <th>last load</th>
                </tr>
              </thead>
              <tbody>
                {chain.map((name, i) => {
                  const { title, plan, held, last } = of.get(name)!;
                  const from = chain.filter((other) => givesTo(of.get(other)!.plan).includes(name));
                  const lists = plan ? listsOf(plan) : [];
                  return (
                    <tr key={name}>
                      <td className="n">{i + 1}</td>
                      <td>
                        <Link className="plain" href={`/feeds/${name}`}>
                          {title}
                        </Link>
                      </td>
                      <td>
                        {from.length > 0 ? `what ${titles(from)} accepted` : "deliveries"}
                        {lists.length > 0 && `, and asks ${lists.join(", ")}`}
                      </td>
                      <td>
                        {plan ? tablesWords(plan) : "nothing yet"}
                        {(plan?.after ?? []).map((a) => (
                          <span key={afterWords(a)} className="faint block text-sm">
                            {a.do === "feed" ? `then the feed ${titles([a.feed])}` : `then ${afterWords(a)}`}
                          </span>
                        ))}
                      </td>
                      <td>
                        {last ? (
                          <Link className="plain" href={`/loads/${last.id}`}>
                            {last.id}, {stateWord(last.state).word}, {moment(last.askedAt, now)}
                          </Link>
                        ) : (
                          <span className="faint">none yet</span>
                        )}
                        {held > 0 && <span className="held block text-sm">{counted(held, "record")} held</span>}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
            {stop && (
              <ChainStopped
                stop={stop}
                title={titles([stop.feed])}
                word={stateWord(stop.state as LoadRow["state"]).word}
              />
            )}
          </Fragment>
        );
      })}
    </>
  );
}
