import { listConnections } from "@/store/connections.ts";
import { readiness } from "@/store/ready.ts";
import { retentionRuns, roomByFeed } from "@/store/retention.ts";
import { SettingsDesk } from "@/ui/settings/settings-desk.tsx";
import { db } from "../../server.ts";

export const metadata = { title: "Settings" };
export const dynamic = "force-dynamic";

export default async function SettingsPage() {
  const [feeds, runs, { bytes }, connections] = await Promise.all([
    roomByFeed(db()),
    retentionRuns(db()),
    readiness(db()),
    listConnections(db(), process.env),
  ]);
  return (
    <SettingsDesk feeds={feeds} runs={runs} disk={bytes} connections={connections} now={new Date().toISOString()} />
  );
}
