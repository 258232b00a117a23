import "./globals.css";
import type { Metadata } from "next";
import { countHeld } from "@/store/held.ts";
import { countPairs } from "@/store/matches.ts";
import { listFeeds } from "@/store/feeds.ts";
import { Nav } from "@/ui/nav.tsx";
import { Providers } from "@/ui/providers.tsx";
import { THEME_SCRIPT } from "@/ui/theme-script.ts";
import { db } from "./server.ts";

export const metadata: Metadata = { title: { default: "Good Sieve", template: "%s · Good Sieve" } };
export const dynamic = "force-dynamic";

export default async function Layout({ children }: { children: React.ReactNode }) {
  const [held, pairs, feeds] = await Promise.all([countHeld(db()), countPairs(db()), listFeeds(db())]);
  return (
    <html lang="en" data-theme="paper" suppressHydrationWarning>
      <head>
        <script dangerouslySetInnerHTML={{ __html: THEME_SCRIPT }} />
      </head>
      <body>
        <Providers>
          <Nav held={held} asked={pairs.open} feeds={feeds.map((f) => f.name)} />
          <main className="px-5 pt-3 pb-6">{children}</main>
        </Providers>
      </body>
    </html>
  );
}
