import { stretchesOf, type Stretch } from "@/core/match/why.ts";
import type { AskedPair, PairPlan } from "@/store/matches.ts";
import { Link } from "../kit/link.tsx";
import { grouped } from "../kit/words.ts";
import { reasonsOf, valueOf } from "./pair-words.ts";

/** Half the width of a bar for or against, in pixels. */
const BAR = 64;

/** The two records of a pair beside each other by field, and what each field says of them. */
export function Compared({ pair, plan }: { pair: AskedPair; plan: PairPlan }) {
  const known = pair.entry
    ? `entry ${pair.entry[1]} of the list ${pair.entry[0]}`
    : pair.other === null
      ? "known, in the target"
      : `record ${grouped(pair.other + 1)} of this delivery`;
  const compared = new Set(plan.match.fields.flatMap((f) => f.in));
  const others = plan.fields.filter((f) => !compared.has(f.name));
  const reasons = reasonsOf(pair, plan);
  const widest = Math.max(8, ...pair.shares.map(Math.abs));
  return (
    <table className="w-full border-t border-b border-[var(--ink)]">
      <thead>
        <tr className="border-b border-[var(--rule)] text-left">
          <th className="w-32 py-1.5" />
          <th className="py-1.5">
            <Link href={`/loads/${pair.load}/records?outcome=waiting`}>arrived, record {grouped(pair.record + 1)}</Link>
          </th>
          <th>{known}</th>
          <th className="w-[21rem] font-normal">
            <span className="faint text-xs">speaks against, or for</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {plan.match.fields.map((f, i) => {
          const a = valueOf(pair.values, plan, f.in);
          const b = valueOf(pair.otherValues, plan, f.in);
          const [left, right] = stretchesOf(a, b);
          const bits = pair.shares[i] ?? 0;
          const wide = (Math.abs(bits) / widest) * BAR;
          return (
            <tr key={f.in.join()} className="border-b border-[var(--rule)] align-top">
              <td className="faint py-1.5 pr-3">{f.in.join(", ")}</td>
              <Text stretches={left} />
              <Text stretches={right} />
              <td className="py-1.5">
                <span className="flex items-center gap-2">
                  <svg width={2 * BAR} height="10" aria-hidden="true" className="shrink-0">
                    <line x1={BAR} x2={BAR} y1="0" y2="10" stroke="currentColor" />
                    <rect
                      x={bits < 0 ? BAR - wide : BAR}
                      width={wide}
                      y="1"
                      height="8"
                      fill={bits < 0 ? "var(--plum)" : "var(--pine)"}
                    />
                  </svg>
                  <span className={`w-11 text-right tabular-nums ${bits < 0 ? "held" : ""}`}>
                    {bits > 0 ? "+" : bits < 0 ? "−" : ""}
                    {Math.abs(bits).toFixed(1)}
                  </span>
                  <span className="faint text-xs">{reasons[i]}</span>
                </span>
              </td>
            </tr>
          );
        })}
        {others.map((f) => {
          const at = plan.fields.indexOf(f);
          return (
            <tr key={f.name} className="border-b border-[var(--rule)] align-top">
              <td className="faint py-1 pr-3">{f.name}</td>
              <td className="py-1 pr-3 break-words">{pair.values[at]}</td>
              <td className="py-1 pr-3 break-words">{pair.otherValues[at]}</td>
              <td className="faint py-1 text-xs">
                {plan.key.includes(f.name) ? "the key, not compared" : "not compared"}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Text({ stretches }: { stretches: readonly Stretch[] }) {
  return (
    <td className="max-w-0 py-1.5 pr-3 text-[1.05rem] break-words whitespace-pre-wrap">
      {stretches.map((s, i) =>
        s.same ? (
          <span key={i}>{s.text}</span>
        ) : (
          <mark key={i} className="border-b-2 border-[var(--ochre)] bg-transparent text-inherit">
            {s.text}
          </mark>
        ),
      )}
    </td>
  );
}
