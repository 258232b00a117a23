import { route } from "@/app/server.ts";

export const dynamic = "force-dynamic";

/** Whether this process answers; of the store and the worker `/api/ready` tells. */
export const GET = route(async () => ({ ok: true }));
