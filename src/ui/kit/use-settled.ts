"use client";

import { useEffect, useState } from "react";

/** Milliseconds of quiet after which what is typed is asked for. */
const QUIET_MS = 200;

/** A value once it has not changed for a moment, so that not every key asks the server. */
export function useSettled<T>(value: T, quiet = QUIET_MS): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), quiet);
    return () => clearTimeout(timer);
  }, [value, quiet]);
  return settled;
}
