import { db, handle } from "@/app/server.ts";
import { askAgain, makeAskedList as make } from "@/engine/look/ask-list.ts";
import { askListNow, makeAskedList } from "@/routes/references.ts";

export const PUT = handle(makeAskedList, async ({ params: { list: name }, body }) => {
  const { asked, title, about, ...parts } = body;
  const { version } = await make(db(), { name, title, about, parts }, asked, "steward");
  return { version };
});

export const POST = handle(askListNow, async ({ params: { list } }) => {
  const { version, before } = await askAgain(db(), list, "steward");
  return { version, before };
});
