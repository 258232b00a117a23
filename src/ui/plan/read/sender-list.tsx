"use client";

import type { Plan } from "@/core/plan/document.ts";
import type { SenderOf } from "@/core/plan/senders.ts";

/** Who sends a delivery of which nobody has said, by the names of its files, and whose single records are. */
export function SenderList({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const senders = plan.senders ?? [];
  const put = (next: SenderOf[]): void => {
    const { senders: _, ...rest } = plan;
    change(next.length > 0 ? { ...plan, senders: next } : rest);
  };
  const set = (at: number, more: Partial<SenderOf>): void =>
    put(senders.map((s, i) => (i === at ? { ...s, ...more } : s)));
  return (
    <section className="mt-5" aria-label="Whose files they are">
      <h2>Whose files they are, where nobody says it</h2>
      {senders.length === 0 && (
        <p className="faint max-w-prose">
          Nothing tells: a delivery is of whoever is named when it is brought in. Names of files can tell it, such as
          bhg-*.csv.
        </p>
      )}
      {senders.map((s, i) => (
        <div key={`${i} ${s.files} ${s.sender}`} className="mb-1 flex items-center gap-2">
          <input
            className="input input-sm w-44 font-mono"
            aria-label={`Names of files of ${s.sender}`}
            defaultValue={s.files}
            maxLength={200}
            onBlur={(e) => e.target.value !== s.files && e.target.value !== "" && set(i, { files: e.target.value })}
          />
          <span className="faint">are of</span>
          <input
            className="input input-sm w-56"
            aria-label={`The sender of ${s.files}`}
            defaultValue={s.sender}
            maxLength={120}
            onBlur={(e) => {
              const sender = e.target.value.trim();
              if (sender !== s.sender && sender !== "") set(i, { sender });
            }}
          />
          <button
            type="button"
            className="plain text-sm"
            aria-label={`Take the line of ${s.files} away`}
            onClick={() => put(senders.filter((_, k) => k !== i))}
          >
            take away
          </button>
        </div>
      ))}
      <button
        type="button"
        className="btn btn-line btn-sm mt-1"
        onClick={() => put([...senders, { files: "*", sender: "somebody" }])}
      >
        Add a line
      </button>
      <SenderField plan={plan} change={change} />
    </section>
  );
}

/** The field that says whose each record is, in deliveries that hold records of several. */
function SenderField({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  return (
    <div className="mt-3 grid grid-cols-[9rem_1fr] items-center gap-x-4">
      <label htmlFor="sender-field">whose each record is</label>
      <select
        id="sender-field"
        className="select select-sm !w-72 text-sm"
        value={plan.sender_field ?? ""}
        onChange={(e) => {
          const { sender_field: _, ...rest } = plan;
          change(e.target.value === "" ? rest : { ...plan, sender_field: e.target.value });
        }}
      >
        <option value="">the delivery’s, all of them</option>
        {plan.contract.fields.map((f) => (
          <option key={f.name} value={f.name}>
            of the sender that {f.name} names
          </option>
        ))}
      </select>
    </div>
  );
}
