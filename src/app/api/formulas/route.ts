import { db, route } from "@/app/server.ts";
import { listFormulas } from "@/store/formulas.ts";

/** The named formulas, each at its newest version. */
export const GET = route(async () => ({ formulas: await listFormulas(db()) }));
