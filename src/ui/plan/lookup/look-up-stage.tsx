"use client";

import { previewFiles } from "@/routes/deliveries.ts";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { plainName } from "@/core/map/columns.ts";
import { lookUpSchema, type LookUp } from "@/core/lookup/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { ReferenceInfo } from "@/store/references.ts";
import { REFERENCES_QUERY } from "../../references/references-query.ts";
import { ask } from "../../kit/api.ts";
import { Link } from "../../kit/link.tsx";
import { grouped } from "../../kit/words.ts";
import { OneLookUp } from "./one-look-up.tsx";

interface Props {
  plan: Plan;
  change: (plan: Plan) => void;
  delivery: { id: number } | null;
}

/** A look-up of a list by the field whose name is most like one of its columns. */
function firstLookUp(plan: Plan, list: ReferenceInfo): LookUp {
  const { fields } = plan.contract;
  const taken = new Set((plan.lookup ?? []).map((l) => l.name));
  const name = Array.from({ length: 50 }, (_, i) => (i === 0 ? list.name : `${list.name} ${i + 1}`)).find(
    (n) => !taken.has(n),
  )!;
  const asked = (column: string): string | undefined =>
    fields.find((f) => [f.name, f.title ?? "", ...(f.also ?? [])].some((n) => plainName(n) === plainName(column)))
      ?.name;
  const column = list.shape.columns.find((c) => asked(c)) ?? list.shape.key;
  const field = asked(column) ?? fields.find((f) => f.type === "text" || f.type === "code")?.name ?? fields[0]!.name;
  return lookUpSchema.parse({
    how: "exact",
    name,
    list: list.name,
    by: [{ field, column }],
    none: "hold",
    several: "hold",
  });
}

/** Files of a delivery as lists: version 0, for they are kept by nobody. */
function useFiles(delivery: number | null): ReferenceInfo[] {
  const { data } = useQuery({
    queryKey: ["files as lists", delivery],
    queryFn: () => ask(previewFiles, { params: { id: delivery! }, body: { read: {}, most: 1 } }),
    enabled: delivery !== null,
    staleTime: 60_000,
  });
  const parts = data?.parts ?? [];
  // Where there is one file alone, it is the records.
  if (parts.length < 2) return [];
  return parts.map((p) => ({
    name:
      plainName(p.name.replace(/\.[a-z.]+$/i, ""))
        .replace(/[^a-z0-9]+/g, "_")
        .replace(/^[^a-z]+/, "") || "file",
    title: p.name,
    about: "",
    shape: { columns: p.columns, key: p.columns[0] ?? "" },
    version: 0,
    entries: 0,
    changedAt: new Date(),
    changedBy: "",
    asked: null,
    askedAt: null,
  }));
}

/** Of a list that is a file: its name, with * for what differs from delivery to delivery. */
function fileOf(list: ReferenceInfo): { file?: string } {
  return list.version === 0 ? { file: list.title.replace(/\d[\d._-]*/g, "*") } : {};
}

/** What is looked up in reference lists, and which fields it fills. */
export function LookUpStage({ plan, change, delivery }: Props) {
  const lists = useQuery({
    ...REFERENCES_QUERY,
  });
  const kept = lists.data?.references ?? [];
  const files = useFiles(delivery?.id ?? null);
  const all = [...kept, ...files.filter((f) => !kept.some((k) => k.name === f.name))];
  const lookUps = plan.lookup ?? [];
  const [fresh, setFresh] = useState(-1);
  const set = (next: LookUp[]): void => {
    const { lookup: _, ...rest } = plan;
    change(next.length > 0 ? { ...plan, lookup: next } : rest);
  };
  return (
    <div className="max-w-4xl">
      {lookUps.length === 0 && (
        <p>
          No list is asked. A look-up finds a record’s partner in a reference list and fills fields from it; a record
          without a partner has an outcome that is said here, and no record ever becomes two.
        </p>
      )}
      {lookUps.map((l, i) => (
        <OneLookUp
          key={i}
          plan={plan}
          lookUp={l}
          lists={all}
          arrived={delivery !== null}
          fresh={i === fresh}
          set={(next) => set(lookUps.flatMap((o, j) => (j !== i ? [o] : next ? [next] : [])))}
        />
      ))}
      <div className="mt-3 flex items-center gap-3 whitespace-nowrap">
        {all.length > 0 && (
          <label className="flex items-center gap-2">
            <span className="faint">look up in</span>
            <select
              className="select select-sm !w-64"
              value=""
              onChange={(e) => {
                const list = all.find((r) => r.name === e.target.value);
                if (!list) return;
                setFresh(lookUps.length);
                set([...lookUps, { ...firstLookUp(plan, list), ...fileOf(list) }]);
              }}
            >
              <option value="">a reference list…</option>
              {all.map((r) => (
                <option key={r.name} value={r.name}>
                  {r.version === 0 ? `${r.title}, a file of the latest delivery` : `${r.title}, ${grouped(r.entries)}`}
                </option>
              ))}
            </select>
          </label>
        )}
        <Link className="plain" href="/references">
          {all.length === 0 && !lists.isPending ? "Bring in a reference list first" : "Reference lists"}
        </Link>
      </div>
    </div>
  );
}
