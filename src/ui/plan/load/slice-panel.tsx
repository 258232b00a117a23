"use client";

import { sliceFault, sliceOf } from "@/core/plan/slice.ts";
import type { Plan } from "@/core/plan/document.ts";
import { writePartitions } from "@/core/write/files/partition.ts";
import { PartitionPicker } from "../../kit/partition-picker.tsx";

/** Whether all rows are replaced, or those of the slices that come. */
export function SlicePanel({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { slice, ...load } = plan.load;
  // One that is wrong is said by the plan itself, and can be taken out.
  const parts = sliceFault(plan) === null ? sliceOf(plan) : [];
  return (
    <fieldset className="mt-3">
      <legend className="faint text-sm font-bold">Rows that are replaced</legend>
      <p className="mb-2 max-w-prose">
        {slice === undefined
          ? "All rows of the target. Or only those that this feed has written and that have, in some fields, what comes: the rows of a partner, of a month."
          : "Those that this feed has written and that have the same as a record that comes, in these fields:"}
      </p>
      <PartitionPicker
        partitions={parts}
        fields={plan.contract.fields.map((f) => ({ name: f.name, isDay: f.type === "date" || f.type === "timestamp" }))}
        words={{ add: "Add a field by which rows are replaced", none: "all rows", each: "those of each" }}
        set={(to) => change({ ...plan, load: to.length > 0 ? { ...load, slice: writePartitions(to) } : load })}
      />
    </fieldset>
  );
}
