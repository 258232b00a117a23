"use client";

import { useSyncExternalStore } from "react";
import type { Step } from "@/core/plan/sections.ts";

/** Steps on their way from one plan to another; kept by the browser, so that they outlive the page. */
export interface CopiedSteps {
  readonly feed: string;
  readonly steps: readonly Step[];
}

const KEY = "copied-steps";
const CHANGED = "copied-steps-changed";

function subscribe(changed: () => void): () => void {
  window.addEventListener("storage", changed);
  window.addEventListener(CHANGED, changed);
  return () => {
    window.removeEventListener("storage", changed);
    window.removeEventListener(CHANGED, changed);
  };
}

function parsed(text: string | null): CopiedSteps | null {
  try {
    const value = JSON.parse(text ?? "null") as CopiedSteps | null;
    return value && Array.isArray(value.steps) && value.steps.length > 0 ? value : null;
  } catch {
    return null;
  }
}

/** The steps that were copied, and a way to keep others, or none. */
export function useCopiedSteps(): [CopiedSteps | null, (copied: CopiedSteps | null) => void] {
  const text = useSyncExternalStore(
    subscribe,
    () => localStorage.getItem(KEY),
    () => null,
  );
  const keep = (copied: CopiedSteps | null): void => {
    if (copied) localStorage.setItem(KEY, JSON.stringify(copied));
    else localStorage.removeItem(KEY);
    window.dispatchEvent(new Event(CHANGED));
  };
  return [parsed(text), keep];
}
