"use client";

import { useRouter } from "next/navigation";

/** Which two versions stand beside each other. */
export function VersionChoice({
  feed,
  versions,
  from,
  to,
}: {
  feed: string;
  versions: readonly { version: number; note: string }[];
  from: number;
  to: number;
}) {
  const router = useRouter();
  const go = (a: number, b: number): void => router.push(`/feeds/${feed}/versions?from=${a}&to=${b}`);
  const choice = (label: string, value: number, set: (version: number) => void) => (
    <select
      className="select select-sm max-w-56"
      aria-label={label}
      value={value}
      onChange={(e) => set(Number(e.target.value))}
    >
      {versions.map((v) => (
        <option key={v.version} value={v.version}>
          {v.version}: {v.note.length > 26 ? `${v.note.slice(0, 24)}…` : v.note}
        </option>
      ))}
    </select>
  );
  return (
    <div className="flex items-center gap-2">
      {choice("The earlier version", from, (v) => go(v, to))}
      <button type="button" className="plain whitespace-nowrap" onClick={() => go(to, from)}>
        swap
      </button>
      {choice("The later version", to, (v) => go(from, v))}
    </div>
  );
}
