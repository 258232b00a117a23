import { db, handle } from "@/app/server.ts";
import { loadProgress } from "@/routes/loads.ts";
import { getLoad } from "@/store/loads.ts";

export const dynamic = "force-dynamic";

export const GET = handle(loadProgress, async ({ params: { id }, request }) => {
  await getLoad(db(), id);
  return new Response(events(id, request.signal), {
    headers: { "content-type": "text/event-stream", "cache-control": "no-cache, no-transform" },
  });
});

function events(id: number, signal: AbortSignal): ReadableStream<Uint8Array> {
  let over = false;
  const encoder = new TextEncoder();
  return new ReadableStream({
    async start(controller) {
      let told = "";
      while (!over && !signal.aborted) {
        const load = await getLoad(db(), id).catch(() => null);
        if (load) {
          const { state, stage, recordsSoFar, bytesSoFar, bytesTotal, startedAt } = load;
          const data = JSON.stringify({ state, stage, recordsSoFar, bytesSoFar, bytesTotal, startedAt });
          if (data !== told) controller.enqueue(encoder.encode(`data: ${data}\n\n`));
          told = data;
          if (state !== "queued" && state !== "running") break;
        }
        await new Promise((resolve) => setTimeout(resolve, 300));
      }
      if (!over) controller.close();
    },
    cancel() {
      over = true;
    },
  });
}
