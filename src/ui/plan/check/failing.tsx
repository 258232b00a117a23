import type { FieldPreview } from "@/core/sample/preview.ts";
import { Value } from "../../kit/cell.tsx";
import { counted, grouped } from "../../kit/words.ts";
import type { KeyedSample } from "../use-sample.ts";

/** How many records of the sample fail the checks of a field, as it stands at the moment. */
export function Failing({ found, of }: { found: FieldPreview | null; of: number }) {
  if (!found) return <span className="faint">…</span>;
  if (found.failed === 0) return <span className="faint">0</span>;
  const title = `${grouped(found.failed)} of ${grouped(of)}: ${found.by.map((b) => `${b.check} ${grouped(b.failed)}`).join(", ")}`;
  return (
    <b className="held" title={title}>
      {grouped(found.failed)}
    </b>
  );
}

/** What the counts rest on, or why there are none. */
export function FailingWords({ sample, error }: { sample: KeyedSample; error: string | null }) {
  return (
    <span className="faint text-sm" role="status">
      {error
        ? "nothing is counted while a field is not as it must be"
        : sample.whole && sample.rows.length === sample.of
          ? `fail: of all ${counted(sample.of, "record")} of the latest delivery that can be read`
          : `fail: of ${counted(sample.rows.length, "record")} of the latest delivery, chosen to be telling`}
    </span>
  );
}

/** Of an opened field: each check that records of the sample fail, with some of their values. */
export function FailingBy({ found }: { found: FieldPreview | null }) {
  if (!found || found.by.length === 0) return null;
  return (
    <ul className="mb-1">
      {found.by.map(({ check, failed, values }) => (
        <li key={check} className="held">
          {check}: {counted(failed, "record")} of the sample
          {values.length > 0 && ", such as "}
          {values.slice(0, 4).map((v, i) => (
            <span key={v}>
              {i > 0 && ", "}
              <Value text={v} />
            </span>
          ))}
        </li>
      ))}
    </ul>
  );
}
