"use client";

import { StoreAway } from "@/ui/shell/store-away.tsx";

/** What is shown when a page can't be drawn. */
export default function ErrorPage({ error, reset }: { error: Error & { digest?: string }; reset: () => void }) {
  return <StoreAway mark={error.digest} again={reset} />;
}
