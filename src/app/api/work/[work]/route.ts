import { handle } from "@/app/server.ts";
import { stopWork, workAt } from "@/engine/apart/long-work.ts";
import { lookAtWork, stopLongWork } from "@/routes/work.ts";

export const dynamic = "force-dynamic";

export const GET = handle(lookAtWork, async ({ params }) => Promise.resolve({ at: workAt(params.work) }));

export const DELETE = handle(stopLongWork, async ({ params }) => Promise.resolve({ stopping: stopWork(params.work) }));
