import { db, handle } from "@/app/server.ts";
import * as engine from "@/engine/look/find-value.ts";
import { findValue } from "@/routes/find.ts";

export const GET = handle(findValue, ({ query: { value } }) => engine.findValue(db(), value));
