"use client";

import { useEffect, useState } from "react";
import { withPath } from "../kit/with-path.ts";

const LOOK_MS = 2000;
/** How long an answer is waited for: one that never comes must not end the looking. */
const PATIENCE_MS = 10_000;
/** When a page was last tried again by itself, so that one that always fails is not tried for ever. */
const TRIED = "tried again";
const AGAIN_MS = 60_000;

/** Says why a page can't be drawn: the store is away, and the page comes by itself when it is back; or something failed. */
export function StoreAway({ mark, again }: { mark?: string | undefined; again?: () => void }) {
  const [away, setAway] = useState<boolean | null>(null);
  useEffect(() => {
    let ended = false;
    let was = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    /** Draws the page anew. Nothing is asked meanwhile: a second time would break off the first while it is still waited for. */
    const comeBack = (): void => {
      ended = true;
      location.reload();
    };
    const look = async (): Promise<void> => {
      const state = await fetch(withPath("/api/ready"), { signal: AbortSignal.timeout(PATIENCE_MS) })
        .then((r) => r.json() as Promise<{ store: string }>)
        .catch(() => ({ store: "away" }));
      if (ended) return;
      const now = state.store === "away";
      if (was && !now) return comeBack();
      // It was away for a moment, or nothing is wrong any more: then the page comes by itself, once.
      const first = !was && !now && Date.now() - Number(sessionStorage.getItem(TRIED) ?? 0) > AGAIN_MS;
      if (first) {
        sessionStorage.setItem(TRIED, String(Date.now()));
        return comeBack();
      }
      was = now;
      setAway(now);
      timer = setTimeout(() => void look(), LOOK_MS);
    };
    void look();
    return () => {
      ended = true;
      clearTimeout(timer);
    };
  }, []);
  return (
    <div className="py-10" role="alert">
      <h1>{away === false ? "This page can’t be shown" : "The store is away"}</h1>
      <p className="my-2 max-w-prose">
        {away === false
          ? `Something failed here that should not have. Nothing was changed.${mark ? ` The log of the web process says more under ${mark}.` : ""}`
          : "The database that everything is kept in can’t be reached. Nothing is lost; loads under way are gone on with when it is back, and so is this page."}
      </p>
      <button type="button" className="btn btn-primary" onClick={again ?? (() => location.reload())}>
        Try again
      </button>
    </div>
  );
}
