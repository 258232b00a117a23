import type { ReactNode } from "react";

/** The raw text of a record as it came, in a box that scrolls where it is long. */
export function RawText({ children }: { children: ReactNode }) {
  return (
    <pre
      className="my-1 max-h-28 overflow-auto border border-[var(--rule)] bg-[var(--paper-bright)] p-2 font-mono text-[0.8rem] break-all whitespace-pre-wrap"
      tabIndex={0}
      aria-label="Raw text of the record"
    >
      {children}
    </pre>
  );
}
