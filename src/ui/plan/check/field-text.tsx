"use client";

import { useState } from "react";

/** A text that is taken over when it is left, or with Enter: half-typed values change nothing. */
export function Text({
  label: name,
  value,
  take,
  placeholder,
  mono = false,
  bold = false,
  whole = false,
}: {
  label: string;
  value: string;
  take: (value: string) => void;
  placeholder?: string;
  mono?: boolean;
  bold?: boolean;
  /** It is as wide as what stands in it. */
  whole?: boolean;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const commit = (): void => {
    if (draft !== null && draft !== value) take(draft);
    setDraft(null);
  };
  return (
    <input
      aria-label={name}
      title={value}
      placeholder={placeholder}
      className={`${whole ? "whole" : "min-w-0"} w-full border-b border-transparent bg-transparent py-0.5 hover:border-[var(--rule)] focus:border-[var(--ink)] ${mono ? "raw" : ""} ${bold ? "font-semibold" : ""}`}
      value={draft ?? value}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => {
        if (e.key === "Enter") commit();
        if (e.key === "Escape") setDraft(null);
      }}
    />
  );
}
