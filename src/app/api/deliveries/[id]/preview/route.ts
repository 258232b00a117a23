import { handle } from "@/app/server.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { previewFiles } from "@/routes/deliveries.ts";

export const POST = handle(previewFiles, async ({ params, body: { read, most }, request }) => ({
  parts: await apart("preview", { delivery: params.id, read, most }, { ...lookLimits(), signal: request.signal }),
}));
