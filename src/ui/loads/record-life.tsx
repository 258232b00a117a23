import type { Plan } from "@/core/plan/document.ts";
import { stateWords } from "@/core/report/found-words.ts";
import type { RecordLife, RecordMade, RecordPair } from "@/engine/look/life.ts";
import { RowChanges } from "../find/row-changes.tsx";
import { Value } from "../kit/cell.tsx";
import { Link } from "../kit/link.tsx";
import { Mark } from "../kit/mark.tsx";
import { RawText } from "../kit/raw-text.tsx";
import { StepChanges } from "../kit/step-changes.tsx";
import { OUTCOME_CLASS, grouped, moment } from "../kit/words.ts";
import { HELD_AT_WORDS, pairWords } from "./life-words.ts";

/** All that is known of a record: on the left how it came and what was made of it, on the right what became of it. */
export function RecordLifeView({ life, plan, now }: { life: RecordLife; plan: Plan; now: Date }) {
  const { made } = life;
  return (
    <div className="mt-1 grid grid-cols-1 gap-8 lg:grid-cols-[minmax(0,1fr)_27.5rem]">
      <section className="min-w-0" aria-label="How it came">
        <p className="faint">
          Line {grouped(life.line)} of {life.file}, received {moment(life.receivedAt, now)} by {life.via}
          {life.sender !== "" && (
            <>
              {" "}
              from{" "}
              <Link className="underline" href={`/senders/${encodeURIComponent(life.sender)}`}>
                {life.sender}
              </Link>
            </>
          )}
        </p>
        {made ? (
          <>
            <RawText>{made.raw}</RawText>
            <Fields life={life} made={made} />
            <div className="mt-4">
              <StepChanges plan={plan} steps={made.steps} />
            </div>
          </>
        ) : (
          <p className="mt-2 max-w-prose">
            How it came is no longer kept: the bytes of its delivery, or what the load had noted of its records, have
            expired by the feed’s retention.
          </p>
        )}
      </section>
      <section className="min-w-0" aria-label="What became of it">
        <Outcome life={life} now={now} />
        <Problems life={life} />
        <Quarantine life={life} now={now} />
        <Pairs life={life} />
        <InTarget life={life} now={now} />
      </section>
    </div>
  );
}

/** Its fields, as they came and as the course left them; where it could not be read, the columns that it should have had. */
function Fields({ life, made }: { life: RecordLife; made: RecordMade }) {
  if (made.cells === null) return <p className="faint">It could not be read into {life.columns.length} columns.</p>;
  const wrong = new Set(made.problems.filter((p) => p.onFailure !== "note").map((p) => p.field));
  return (
    <table className="ledger tight w-full">
      <thead>
        <tr>
          <th>field</th>
          <th>came as</th>
          <th>at the end of the course</th>
        </tr>
      </thead>
      <tbody>
        {life.fields.map((name, f) => {
          const [came, is] = [made.arrived[f] ?? "", made.values[f] ?? ""];
          return (
            <tr key={name}>
              <td className="faint">{name}</td>
              <td className="break-all">
                <Value text={came} />
              </td>
              <td
                className={`break-all ${wrong.has(name) ? "bg-[var(--plum-soft)]" : came === is ? "" : "bg-[var(--ochre-soft)]"}`}
              >
                <Value text={is} />
              </td>
            </tr>
          );
        })}
      </tbody>
      {life.columns.length > life.fields.length && (
        <caption className="faint caption-bottom text-left text-xs">
          Its file has {life.columns.length} columns; those that are not listed are not in the plan.
        </caption>
      )}
    </table>
  );
}

function Outcome({ life, now }: { life: RecordLife; now: Date }) {
  const { outcome, at } = life;
  return (
    <p>
      {outcome ? (
        <span className={`font-bold ${OUTCOME_CLASS[outcome]}`}>
          <Mark outcome={outcome} /> {outcome}
          {at && ` ${HELD_AT_WORDS[at]}`}
        </span>
      ) : (
        <b>What became of it in the load is no longer kept</b>
      )}
      {life.endedAt && <span className="faint">, {moment(life.endedAt, now)}</span>}
    </p>
  );
}

function Problems({ life }: { life: RecordLife }) {
  const problems = life.held?.problems ?? life.made?.problems ?? [];
  if (problems.length === 0) return null;
  return (
    <>
      <h2 className="mt-3">What is wrong with it</h2>
      <ul>
        {problems.map((p, i) => (
          <li key={i}>
            <span className={p.onFailure === "note" ? "changed" : "held"}>{p.message}</span>
            {p.onFailure === "note" && <span className="faint"> Noted only.</span>}
          </li>
        ))}
      </ul>
    </>
  );
}

function Quarantine({ life: { load, held }, now }: { life: RecordLife; now: Date }) {
  if (!held) return null;
  const mended = Object.entries(held.mended ?? {});
  return (
    <>
      <h2 className="mt-3">In the quarantine</h2>
      <p>
        It{" "}
        <Link className="underline" href={`/quarantine?load=${load}`}>
          {stateWords(held)}
        </Link>
        {held.endedAt && <span className="faint">, {moment(held.endedAt, now)}</span>}
      </p>
      {held.withSender && <p>With its sender since {moment(held.withSender, now)}.</p>}
      {mended.length > 0 && (
        <>
          <p className="faint">Mended:</p>
          <ul>
            {mended.map(([name, value]) => (
              <li key={name}>
                {name}: <b>{value === "" ? "empty" : <Value text={value} />}</b>
              </li>
            ))}
          </ul>
        </>
      )}
      {held.again && (
        <p>
          It came again as{" "}
          <Link className="underline" href={`/loads/${held.again.load}/records/${held.again.record}`}>
            record {grouped(held.again.record + 1)} of load {held.again.load}
          </Link>
          .
        </p>
      )}
      {held.before.map((b) => (
        <p key={`${b.load} ${b.record}`}>
          It had come before as{" "}
          <Link className="underline" href={`/loads/${b.load}/records/${b.record}`}>
            record {grouped(b.record + 1)} of load {b.load}
          </Link>
          <span className="faint">, {moment(b.came, now)}</span>
        </p>
      ))}
    </>
  );
}

function Pairs({ life: { load, pairs, cluster } }: { life: RecordLife }) {
  if (pairs.length === 0 && cluster === null) return null;
  return (
    <>
      <h2 className="mt-3">Compared with others</h2>
      <ul>
        {pairs.map((p, i) => (
          <li key={i}>
            <Other load={load} pair={p} />: {pairWords(p)}
          </li>
        ))}
      </ul>
      {cluster !== null && (
        <p>
          <Link className="underline" href={`/loads/${load}/clusters?after=${cluster - 1}`}>
            The records that were made one with it
          </Link>
        </p>
      )}
    </>
  );
}

/** What a record was compared with: a record of its load, a row by the record that it came from, or an entry of a list. */
function Other({ load, pair: { other, row, entry } }: { load: number; pair: RecordPair }) {
  if (other !== null) {
    return (
      <Link className="underline" href={`/loads/${load}/records/${other}`}>
        record {grouped(other + 1)}
      </Link>
    );
  }
  if (row === null)
    return <>{entry ? `${entry.slice(1).join(" ")} of the list ${entry[0]}` : "a row of another program"}</>;
  const [from, record] = row;
  return (
    <Link className="underline" href={`/loads/${from}/records/${record}`}>
      record {grouped(record + 1)} of load {from}
    </Link>
  );
}

function InTarget({ life: { row, outcome, held }, now }: { life: RecordLife; now: Date }) {
  const is = outcome !== "held" || held?.state === "released";
  if (!row) {
    return (
      <p className="faint mt-3">
        {is && outcome !== "left out"
          ? "There is no row in the target now that is its, or it could not be found in the time there is."
          : "The target has no row of its key."}
      </p>
    );
  }
  return (
    <>
      <h2 className="mt-3">{is ? "Its row in the target now" : "What the target has under its key"}</h2>
      <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-3">
        {row.names.map((name, i) => (
          <div key={name} className="contents">
            <dt className="faint">{name}</dt>
            <dd className="break-words">{row.values[i] || "–"}</dd>
          </div>
        ))}
      </dl>
      <RowChanges changes={row.changes} now={now} />
    </>
  );
}
