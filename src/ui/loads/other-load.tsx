"use client";

import { useRouter } from "next/navigation";

/** Which other load stands beside one. */
export function OtherLoad({
  load,
  other,
  loads,
}: {
  load: number;
  other: number;
  loads: readonly { id: number; says: string }[];
}) {
  const router = useRouter();
  return (
    <label className="flex items-center gap-2">
      beside
      <select
        className="select select-sm max-w-80"
        aria-label="The other load"
        value={other}
        onChange={(e) => router.push(`/loads/${load}/beside?other=${e.target.value}`)}
      >
        {loads.map((l) => (
          <option key={l.id} value={l.id}>
            {l.says}
          </option>
        ))}
      </select>
    </label>
  );
}
