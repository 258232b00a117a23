"use client";

import { useVirtualizer, type Virtualizer } from "@tanstack/react-virtual";
import { useRef, type RefObject } from "react";
import type { Compiled } from "@/core/course/compiled.ts";
import { mendedValues } from "@/core/mend/values.ts";
import type { HeldRecord } from "@/store/held.ts";
import { Value } from "../kit/cell.tsx";
import { Mark } from "../kit/mark.tsx";
import { grouped } from "../kit/words.ts";
import { idOf } from "./held.ts";
import type { DeskWork } from "./use-desk.ts";

/** Height of a row, in pixels. */
const ROW = 27;

/** The rows of a desk that are on the screen, however many there are. */
export interface HeldRows {
  readonly box: RefObject<HTMLDivElement | null>;
  readonly rows: Virtualizer<HTMLDivElement, Element>;
}

export function useHeldRows(count: number): HeldRows {
  const box = useRef<HTMLDivElement>(null);
  // oxlint-disable-next-line react/incompatible-library
  const rows = useVirtualizer({ count, getScrollElement: () => box.current, estimateSize: () => ROW, overscan: 10 });
  return { box, rows };
}

/** The held records of a cause, a line for each, as they are mended by now. `wrongField`: the field that the cause is about. */
export function HeldTable({
  work: { desk, tell, verdicts },
  rows: { box, rows },
  compiled,
  wrongField,
}: {
  work: DeskWork;
  rows: HeldRows;
  compiled: Compiled;
  wrongField: string | undefined;
}) {
  const { records, picked } = desk;
  const names = compiled.fields.map((f) => f.name);
  const leading = [
    ...new Set([...compiled.plan.load.key, ...(wrongField && names.includes(wrongField) ? [wrongField] : [])]),
  ];
  const columns = [...leading, ...names.filter((n) => !leading.includes(n))];
  const places = columns.map((c) => names.indexOf(c));
  const items = rows.getVirtualItems();
  const above = items[0]?.start ?? 0;
  const below = rows.getTotalSize() - (items.at(-1)?.end ?? 0);
  const space = (height: number) =>
    height > 0 && (
      <tr aria-hidden="true">
        <td colSpan={columns.length + 4} height={height} />
      </tr>
    );
  return (
    <div
      ref={box}
      tabIndex={0}
      role="region"
      aria-label="Records of this cause"
      className="max-h-[calc(100dvh-11rem)] overflow-auto border-t border-b border-[var(--ink)]"
    >
      <table className="ledger">
        <thead className="sticky top-0 z-10 bg-[var(--paper)]">
          <tr>
            <th>
              <input
                type="checkbox"
                aria-label="Pick all"
                checked={picked.size > 0 && picked.size === records.length}
                onChange={(e) => tell({ does: "pick all", picked: e.target.checked })}
              />
            </th>
            <th className="n">load</th>
            <th className="n">line</th>
            <th>then</th>
            {columns.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {space(above)}
          {items.map(({ index }) => {
            const h = records[index]!;
            const id = idOf(h);
            const verdict = verdicts.get(id)!;
            return (
              <tr
                key={id}
                aria-selected={index === desk.at}
                onClick={() => tell({ does: "go", to: index })}
                className="h-[27px] cursor-pointer"
              >
                <td>
                  <input
                    type="checkbox"
                    aria-label={`Pick line ${h.line}`}
                    checked={picked.has(id)}
                    onChange={() => tell({ does: "pick", id })}
                    onClick={(e) => e.stopPropagation()}
                  />
                </td>
                <td className="n faint">{h.load}</td>
                <td className="n faint">{grouped(h.line)}</td>
                <td className={`whitespace-nowrap ${verdict.passes ? "loaded" : "held"}`}>
                  <Mark outcome={verdict.passes ? "inserted" : "held"} /> {verdict.passes ? "passes" : "held"}
                </td>
                <Cells
                  held={h}
                  edits={desk.edits[id]}
                  compiled={compiled}
                  columns={columns}
                  places={places}
                  wrong={new Set(verdict.problems.filter((p) => p.onFailure !== "note").map((p) => p.field))}
                  wrongField={wrongField}
                />
              </tr>
            );
          })}
          {space(below)}
        </tbody>
      </table>
    </div>
  );
}

function Cells({
  held,
  edits,
  compiled,
  columns,
  places,
  wrong,
  wrongField,
}: {
  held: HeldRecord;
  edits: Record<string, string> | undefined;
  compiled: Compiled;
  columns: readonly string[];
  /** Where the value of each column stands among the fields. */
  places: readonly number[];
  wrong: ReadonlySet<string | null>;
  wrongField: string | undefined;
}) {
  if (held.cells === null && !edits && !held.mended) {
    return (
      <td colSpan={columns.length} className="max-w-[40rem] truncate faint">
        could not be read: open it to see its raw text
      </td>
    );
  }
  const values = mendedValues(held, edits ?? {}, compiled);
  const shade = (column: string): string =>
    wrong.has(column) ? "bg-[var(--plum-soft)] held" : edits?.[column] !== undefined ? "bg-[var(--ochre-soft)]" : "";
  return columns.map((c, i) => (
    <td key={c} className={`max-w-56 truncate whitespace-nowrap ${shade(c)}`}>
      <Value text={values[places[i]!] ?? ""} mono={c === wrongField} />
    </td>
  ));
}
