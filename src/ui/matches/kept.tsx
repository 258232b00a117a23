import { keepRules } from "@/core/match/schema.ts";
import { keepCluster } from "@/core/match/survive.ts";
import type { AskedPair, PairPlan } from "@/store/matches.ts";

/** The record that would be kept if the two are the same. */
export function Kept({ pair, plan }: { pair: AskedPair; plan: PairPlan }) {
  const rules = keepRules(plan.match, plan.fields);
  // What is kept has the key of the first: of the one that is there, unless that is an entry of a list.
  const order = pair.entry ? [pair.values, pair.otherValues] : [pair.otherValues, pair.values];
  const words = pair.entry ? ["arrived", "the list"] : ["known", "arrived"];
  const { values, from } = keepCluster(plan.match, plan.fields, plan.key, order, plan.formulas);
  return (
    <section className="mt-5">
      <h2>What would be kept</h2>
      <table className="ledger">
        <thead>
          <tr>
            <th>field</th>
            <th>value</th>
            <th>from</th>
            <th>because</th>
          </tr>
        </thead>
        <tbody>
          {plan.fields.map((f, i) => {
            const key = plan.key.includes(f.name);
            const value = values[i]!;
            const both = pair.values[i] === pair.otherValues[i];
            const only = (pair.values[i] === "") !== (pair.otherValues[i] === "");
            return (
              <tr key={f.name}>
                <td className="faint">{f.name}</td>
                <td className="font-semibold">{value}</td>
                <td>{value === "" ? "" : both ? "both" : words[from[i]!]}</td>
                <td className="faint">
                  {key
                    ? "the key, never changed"
                    : value === ""
                      ? "empty"
                      : both
                        ? "equal"
                        : only
                          ? "the only one filled"
                          : rules[i]}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
