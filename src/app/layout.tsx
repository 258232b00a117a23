import "./globals.css";
import type { Metadata } from "next";
import { headers } from "next/headers";
import { countHeld } from "@/store/held.ts";
import { countPairs } from "@/store/matches.ts";
import { listFeeds } from "@/store/feeds.ts";
import { isStoreAway } from "@/store/db.ts";
import { Nav } from "@/ui/shell/nav.tsx";
import { Providers } from "@/ui/shell/providers.tsx";
import { StoreAway } from "@/ui/shell/store-away.tsx";
import { THEME_SCRIPT } from "@/ui/shell/theme-script.ts";
import { db } from "./server.ts";

export const metadata: Metadata = { title: { default: "Good Sieve", template: "%s · Good Sieve" } };
export const dynamic = "force-dynamic";

export default async function Layout({ children }: { children: React.ReactNode }) {
  const nonce = (await headers()).get("x-nonce") ?? undefined;
  const frame = await Promise.all([countHeld(db()), countPairs(db()), listFeeds(db())]).catch((error: unknown) => {
    if (isStoreAway(error)) return null;
    throw error;
  });
  return (
    <html lang="en" data-theme="paper" suppressHydrationWarning>
      <head>
        <script nonce={nonce} suppressHydrationWarning dangerouslySetInnerHTML={{ __html: THEME_SCRIPT }} />
      </head>
      <body>
        <Providers>
          {frame && <Nav held={frame[0]} asked={frame[1].open} feeds={frame[2].map((f) => f.name)} />}
          <main className="px-5 pt-3 pb-6">{frame ? children : <StoreAway />}</main>
        </Providers>
      </body>
    </html>
  );
}
