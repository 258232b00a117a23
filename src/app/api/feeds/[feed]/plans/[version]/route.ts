import { db, handle } from "@/app/server.ts";
import { getPlanVersion } from "@/routes/feeds.ts";
import * as store from "@/store/feeds.ts";

export const GET = handle(getPlanVersion, ({ params: { feed, version } }) => store.getPlanVersion(db(), feed, version));
