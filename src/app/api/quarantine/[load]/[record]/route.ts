import { db, route, wholeNumber } from "@/app/server.ts";
import { getHeld } from "@/store/held.ts";

export const GET = route<{ load: string; record: string }>(async (_, { load, record }) =>
  getHeld(db(), wholeNumber(load, "The load"), wholeNumber(record, "The record")),
);
