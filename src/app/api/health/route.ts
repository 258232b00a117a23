import { handle } from "@/app/server.ts";
import { health } from "@/routes/store.ts";

export const dynamic = "force-dynamic";

export const GET = handle(health, async () => ({ ok: true }));
