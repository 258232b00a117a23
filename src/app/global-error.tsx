"use client";

import "./globals.css";
import { StoreAway } from "@/ui/shell/store-away.tsx";

/** What is shown when not even the frame of the pages can be drawn. */
export default function GlobalError({ error, reset }: { error: Error & { digest?: string }; reset: () => void }) {
  return (
    <html lang="en" data-theme="paper">
      <body>
        <main className="px-5">
          <StoreAway mark={error.digest} again={reset} />
        </main>
      </body>
    </html>
  );
}
