import { listSenders } from "@/store/senders.ts";
import { allOwed } from "@/ui/senders/owes.ts";
import { SenderList } from "@/ui/senders/sender-list.tsx";
import { counted } from "@/ui/kit/words.ts";
import { db } from "../../server.ts";

export const metadata = { title: "Senders" };

/** Who delivers, how well, and what they owe. */
export default async function Senders() {
  const senders = await listSenders(db());
  return (
    <>
      <h1>{counted(senders.filter((s) => s.name !== "").length, "sender")}</h1>
      {senders.length === 0 ? (
        <p className="py-4">Whoever sends files will be listed here, once the first have come.</p>
      ) : (
        <>
          <p className="faint mb-3">{allOwed(senders)}</p>
          <SenderList senders={senders} now={new Date()} />
        </>
      )}
    </>
  );
}
