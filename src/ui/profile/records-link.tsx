"use client";

import { withPath } from "../kit/with-path.ts";

/** Where the records behind a number of the profile are shown; null where they can't be. */
export type RecordsLink = ((column: string, is: string, value?: string) => string) | null;

export function Count({ href, children }: { href?: string | undefined; children: React.ReactNode }) {
  return href ? (
    <a className="count" href={withPath(href)}>
      {children}
    </a>
  ) : (
    <>{children}</>
  );
}
