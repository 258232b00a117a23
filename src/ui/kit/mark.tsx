import type { Outcome } from "@/core/kernel/ledger.ts";

/** The mark of an outcome: a slanted seed that can be told without colour. */
export function Mark({ outcome, size = 14 }: { outcome: Outcome; size?: number }) {
  const seed = <ellipse cx="8" cy="8" rx="3.6" ry="6" transform="rotate(-35 8 8)" />;
  return (
    <svg
      viewBox="0 0 16 16"
      width={size}
      height={size}
      aria-hidden="true"
      className="inline-block align-[-2px]"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.3"
    >
      {outcome === "inserted" && <g fill="currentColor">{seed}</g>}
      {outcome === "updated" && (
        <>
          {seed}
          <path d="M4.5 12.9 A3.6 6 -35 0 0 11.5 3.1 Z" transform="rotate(0 8 8)" fill="currentColor" />
        </>
      )}
      {outcome === "unchanged" && seed}
      {outcome === "merged" && (
        <>
          <ellipse cx="6.5" cy="7" rx="2.8" ry="5" transform="rotate(-35 6.5 7)" />
          <ellipse cx="9.8" cy="9" rx="2.8" ry="5" transform="rotate(-35 9.8 9)" fill="currentColor" />
        </>
      )}
      {outcome === "held" && (
        <>
          <ellipse cx="8" cy="7" rx="2.4" ry="4.4" transform="rotate(-60 8 7)" />
          <path d="M1.5 9.5 V14 H14.5 V9.5" />
        </>
      )}
      {outcome === "waiting" && <g strokeDasharray="2 1.7">{seed}</g>}
      {outcome === "left out" && (
        <>
          {seed}
          <path d="M2 2 L14 14" />
        </>
      )}
    </svg>
  );
}
